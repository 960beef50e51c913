"""Light that spreads: scattered in a lens or filter (glow), and through a film and back (halation)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.optimize import nnls

from upwelling.core.arrays import MID_GREY, Float32, Float64
from upwelling.core.kernels import KERNEL_LOCK
from upwelling.core.operations import frame_kernel
from upwelling.core.operations.base import FrameOperation, Place
from upwelling.core.operations.blur import blur_reference, blurred_pixel, blurs_fast, gaussian_reach

SHARES = (1 / 8, 1 / 4, 1 / 2, 1.0)
"""Sigma of the Gaussians that a point spreads to, over the size."""
CORE = 1 / 6
"""Radius of the spread's core over the size."""


NEAR, FAR = 0.6, 0.4
"""Shares of halation's two Gaussians."""


def spread_shape(r: Any) -> Any:
    """How light falls off around a point, unscaled: (1 + (r/r0)²)^(−3/2), with r over the size; our own choice, between
    the wide skirts of lenses and the eye (about r^−2 to r^−3, CIE 135:1999, from memory) and a finite reach.
    """
    return (1 + (np.asarray(r) / CORE) ** 2) ** -1.5


def _fitted() -> tuple[float, ...]:
    """Weights of the four Gaussians, together 1, that lie nearest to the shape within 2.5 sizes, each radius weighing
    as much as the light on its circle.
    """
    r = np.linspace(0.01, 2.5, 400)
    gaussians = np.stack([np.exp(-0.5 * (r / s) ** 2) / (2 * np.pi * s * s) for s in SHARES], axis=1)
    weights, _ = nnls(gaussians * r[:, None], spread_shape(r) * r)
    return tuple(float(w) for w in weights / weights.sum())


WEIGHTS = _fitted()


def light_above(rgb: Any, threshold: float, luminance: Any) -> Any:
    """The part of light above a luminance ``threshold`` stops over mid grey, in its own colour; nothing below it."""
    y, limit = rgb @ np.array(luminance), MID_GREY * 2.0**threshold
    return np.maximum(rgb, 0.0) * (np.maximum(y - limit, 0.0) / np.maximum(y, limit))[..., None]


@dataclass(frozen=True)
class Glow(FrameOperation):
    """A share ``strength`` of the light above ``threshold`` stops, of each channel times ``tint``, is spread by four
    Gaussians of up to ``size`` frame heights. With ``kept`` it is taken from where it comes from, so that the frame's
    light stays the same; else it is added.
    """

    threshold: float
    size: float
    strength: float
    tint: tuple[float, float, float]
    kept: bool
    luminance: tuple[float, float, float]

    def reach(self, pixel: float) -> int:
        return gaussian_reach(self.size / pixel) + 16

    def apply_at(self, rgb: Float64, place: Place) -> Float64:
        light = light_above(rgb, self.threshold, self.luminance)
        spread = np.zeros_like(light)
        for weight, share in zip(WEIGHTS, SHARES, strict=True):
            spread += weight * blur_reference(light, self.size * share / place.pixel)
        return self._with(spread, rgb, light)

    def _with(self, spread: Float64, rgb: Float64, light: Float64) -> Float64:
        amount = np.minimum(np.array(self.tint) * self.strength, 1.0)
        return np.asarray(rgb + amount * (spread - light if self.kept else spread))

    def pixel_at(self, rgb: Float64, place: Place, row: int, column: int) -> Float64:
        light = light_above(rgb, self.threshold, self.luminance)
        parts = [
            weight * blurred_pixel(light, self.size * share / place.pixel, row, column)
            for weight, share in zip(WEIGHTS, SHARES, strict=True)
        ]
        return self._with(np.sum(parts, axis=0), rgb[row, column], light[row, column]).reshape(1, 1, 3)

    def run_at(self, rgb: Float32, place: Place) -> Float32:
        light, made = np.empty_like(rgb), np.empty_like(rgb)
        weights = np.array(self.luminance, dtype=np.float32)
        widths = [(w, self.size * share / place.pixel) for w, share in zip(WEIGHTS, SHARES, strict=True) if w]
        amount = np.minimum(np.array(self.tint, dtype=np.float32) * np.float32(self.strength), np.float32(1))
        with KERNEL_LOCK:
            frame_kernel.light_above(rgb, weights, np.float32(MID_GREY * 2.0**self.threshold), light)
        spread = blurs_fast(light, widths)
        with KERNEL_LOCK:
            frame_kernel.add_spread(rgb, spread, light, amount, np.float32(self.kept), made)
        return made


@dataclass(frozen=True)
class Halation(FrameOperation):
    """Light above ``threshold`` stops comes back spread by two Gaussians of ``size`` and twice that (frame heights);
    what of it exceeds the light that is there is added in ``colour``. Where light is even nothing is added.
    """

    threshold: float
    size: float
    strength: float
    colour: tuple[float, float, float]
    luminance: tuple[float, float, float]

    def reach(self, pixel: float) -> int:
        return gaussian_reach(2 * self.size / pixel) + 16

    def apply_at(self, rgb: Float64, place: Place) -> Float64:
        light = self._light(rgb)
        near, far = (blur_reference(light, self.size * wider / place.pixel) for wider in (1.0, 2.0))
        return self._with(near, far, rgb, light)

    def _light(self, rgb: Float64) -> Float64:
        return np.asarray(np.maximum(rgb @ np.array(self.luminance) - MID_GREY * 2.0**self.threshold, 0.0))

    def _with(self, near: Float64, far: Float64, rgb: Float64, light: Float64) -> Float64:
        halo = np.maximum(NEAR * near + FAR * far - light, 0.0)
        return np.asarray(rgb + halo[..., None] * np.array(self.colour) * self.strength)

    def pixel_at(self, rgb: Float64, place: Place, row: int, column: int) -> Float64:
        light = self._light(rgb)
        near, far = (blurred_pixel(light, self.size * wider / place.pixel, row, column) for wider in (1.0, 2.0))
        return self._with(near, far, rgb[row, column], light[row, column]).reshape(1, 1, 3)

    def run_at(self, rgb: Float32, place: Place) -> Float32:
        light, made = np.empty(rgb.shape[:2], np.float32), np.empty_like(rgb)
        weights = np.array(self.luminance, dtype=np.float32)
        amount = np.array(self.colour, dtype=np.float32) * np.float32(self.strength)
        with KERNEL_LOCK:
            frame_kernel.luminance_above(rgb, weights, np.float32(MID_GREY * 2.0**self.threshold), light)
        spread = blurs_fast(light, [(w, self.size * wider / place.pixel) for w, wider in ((NEAR, 1.0), (FAR, 2.0))])
        with KERNEL_LOCK:
            frame_kernel.add_halo(rgb, spread, light, amount, made)
        return made
