"""ToneScale: a tone curve over each channel or over a norm of the pixel."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.operations.base import PixelOperation
from upwelling.core.rendering.base import Preserved

LOWEST, HIGHEST = -24.0, 14.0
"""log2 of the light between which a curve counts; darker light keeps the gain of the lowest, brighter is at the
ceiling.
"""


class Tone(Protocol):
    """A rising function of light, hashable."""

    def __call__(self, light: Float64) -> Float64: ...


@dataclass(frozen=True)
class ToneScale(PixelOperation):
    """Light through ``tone``, never above ``ceiling``.

    With a norm the channels keep their ratios. With channels, one below 0 counts as 0, and ``saturation`` mixes in the
    ratios of the light before, at the luminance the channels came to: 0 is the curve alone, 1 keeps the saturation.
    """

    tone: Tone
    preserve: Preserved
    luminance: tuple[float, float, float]
    ceiling: float
    saturation: float = 0.0

    def gain(self, light: Any) -> Float64:
        """tone(light)/light, held outside the curve's range."""
        held = np.clip(light, 2.0**LOWEST, 2.0**HIGHEST)
        return np.asarray(self.tone(held) / held)

    def toned(self, light: Float64) -> Float64:
        """The curve, for any light."""
        return np.minimum(light * self.gain(light), self.ceiling)

    def norm(self, rgb: Float64) -> Float64:
        """What goes through the curve, (…,)."""
        if self.preserve == "luminance":
            return np.asarray(rgb @ np.array(self.luminance))
        if self.preserve == "largest channel":
            return np.asarray(rgb.max(axis=-1))
        light = np.maximum(rgb, 0.0)
        return np.asarray(np.sum(light**3, axis=-1) / np.maximum(np.sum(light**2, axis=-1), 1e-30))

    def apply(self, rgb: Float64) -> Float64:
        if self.preserve != "channels":
            norm = self.norm(rgb)[..., None]
            return np.asarray(rgb * np.minimum(self.gain(norm), self.ceiling / np.maximum(norm, 1e-30)))
        rgb = np.maximum(rgb, 0.0)
        toned = self.toned(rgb)
        if self.saturation == 0:
            return toned
        weights = np.array(self.luminance)
        before, after = (rgb @ weights)[..., None], (toned @ weights)[..., None]
        kept = np.where(before > 1e-9, rgb * (after / np.maximum(before, 1e-9)), toned)
        return np.asarray(toned + self.saturation * (kept - toned))

    def undo(self, rgb: Float64) -> Float64:
        """Light before, for what lies below the ceiling; raises ValueError where ``saturation`` mixed two answers."""
        if self.preserve != "channels":
            norm = self.norm(rgb)[..., None]
            return np.asarray(rgb * (self._before(norm) / np.maximum(norm, 1e-30)))
        if self.saturation:
            raise ValueError("with saturation kept, the channels went two ways at once")
        return self._before(rgb)

    def _before(self, toned: Float64) -> Float64:
        """Bisection in stops."""
        low, high = np.full_like(toned, LOWEST), np.full_like(toned, HIGHEST)
        for _ in range(60):
            middle = (low + high) / 2
            under = self.toned(np.exp2(middle)) < toned
            low, high = np.where(under, middle, low), np.where(under, high, middle)
        dark = toned <= self.toned(np.array(2.0**LOWEST))
        return np.where(dark, toned / self.gain(2.0**LOWEST), np.exp2((low + high) / 2))
