"""Light drawn out along rays from or towards a point."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from scipy.ndimage import affine_transform

from upwelling.core.arrays import MID_GREY, Float32, Float64
from upwelling.core.kernels import KERNEL_LOCK
from upwelling.core.operations import frame_kernel
from upwelling.core.operations.base import FrameOperation, Place
from upwelling.core.operations.scatter import light_above

END = 0.01
"""How much of a streak's light is left at its end."""
MOST_DOUBLINGS = 11
MOST_LINES = 540
"""Lines that streaks are worked out at, at the most: a preview's, so that it shows what delivery gives."""
EVERYWHERE = 1_000_000


@dataclass(frozen=True)
class Streaks(FrameOperation):
    """Light above ``threshold`` stops is drawn out away from a point (frame heights from the middle), or ``towards``
    it, by a share ``length`` of its distance to it, falling off to a hundredth, and added times ``strength`` and
    ``tint``.

    Along a ray the light is scaled around the point and added to itself, each time twice as far. Beyond the frame there
    is no light.
    """

    x: float
    y: float
    length: float
    towards: bool
    threshold: float
    strength: float
    tint: tuple[float, float, float]
    luminance: tuple[float, float, float]

    def reach(self, pixel: float) -> int:
        return EVERYWHERE

    def _plan(self, shape: tuple[int, ...], place: Place) -> tuple[int, float, float, list[tuple[float, float]]]:
        """By how much the light is made smaller, the point's column and row there, and scale and share of every
        doubling.
        """
        factor = max(1, round(shape[0] / MOST_LINES))
        x, y = place.along(1, 1)
        pixel = place.pixel * factor
        # Array pixel (0, 0) has its middle at 0; that of a block of ``factor`` lies (factor − 1)/2 further.
        inner = (factor - 1) / 2 * place.pixel
        column, row = (self.x - x[0] - inner) / pixel, (self.y - y[0] - inner) / pixel
        columns, rows = shape[1] / factor, shape[0] / factor
        farthest = np.hypot(max(abs(column), abs(columns - column)), max(abs(row), abs(rows - row)))
        doublings = int(np.clip(np.ceil(np.log2(max(self.length * farthest, 2.0))), 1, MOST_DOUBLINGS))
        whole = 1 / (1 - self.length) if self.towards else 1 / (1 + self.length)
        steps = [
            (float(whole ** (2.0 ** (k - doublings))), float(END ** (2.0 ** (k - doublings)))) for k in range(doublings)
        ]
        return factor, float(column), float(row), steps

    def apply_at(self, rgb: Float64, place: Place) -> Float64:
        factor, column, row, steps = self._plan(rgb.shape, place)
        light = _reduced(light_above(rgb, self.threshold, self.luminance), factor)
        for scale, share in steps:
            light = (light + share * _scaled_reference(light, scale, column, row)) / (1 + share)
        return np.asarray(rgb + _enlarged(light, factor, rgb.shape) * np.array(self.tint) * self.strength)

    def run_at(self, rgb: Float32, place: Place) -> Float32:
        factor, column, row, steps = self._plan(rgb.shape, place)
        light, made = np.empty_like(rgb), np.empty_like(rgb)
        weights = np.array(self.luminance, dtype=np.float32)
        amount = np.array(self.tint, dtype=np.float32) * np.float32(self.strength)
        with KERNEL_LOCK:
            frame_kernel.light_above(rgb, weights, np.float32(MID_GREY * 2.0**self.threshold), light)
        small = _reduced(light, factor)
        for scale, share in steps:
            further = _scaled_fast(small, scale, column, row)
            small = cv2.addWeighted(small, 1 / (1 + share), further, share / (1 + share), 0.0)
        spread = np.ascontiguousarray(_enlarged(small, factor, rgb.shape))
        with KERNEL_LOCK:
            frame_kernel.add_spread(rgb, spread, light, amount, np.float32(0), made)
        return made


def _reduced(light: Any, factor: int) -> Any:
    """Means over blocks; where blocks do not come out even the picture goes on mirrored."""
    if factor == 1:
        return light
    rows, columns = light.shape[:2]
    wide = np.pad(light, ((0, -rows % factor), (0, -columns % factor), (0, 0)), mode="symmetric")
    return cv2.resize(wide, (wide.shape[1] // factor, wide.shape[0] // factor), interpolation=cv2.INTER_AREA)


def _enlarged(light: Any, factor: int, shape: tuple[int, ...]) -> Any:
    """Back to (H, W, 3) by lines between the blocks' middles."""
    if factor == 1:
        return light
    grown = cv2.resize(light, (light.shape[1] * factor, light.shape[0] * factor), interpolation=cv2.INTER_LINEAR)
    return grown[: shape[0], : shape[1]]


def _scaled_reference(picture: Float64, by: float, column: float, row: float) -> Float64:
    """The picture where each pixel shows what lies ``by`` times as far from a point."""
    planes = [
        affine_transform(picture[..., c], [by, by], [row * (1 - by), column * (1 - by)], order=1, mode="grid-constant")
        for c in range(3)
    ]
    return np.stack(planes, axis=-1)


def _scaled_fast(picture: Float32, by: float, column: float, row: float) -> Float32:
    matrix = np.array([[by, 0, column * (1 - by)], [0, by, row * (1 - by)]])
    size = (picture.shape[1], picture.shape[0])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    made = cv2.warpAffine(picture, matrix, size, flags=flags, borderMode=cv2.BORDER_CONSTANT)
    return np.asarray(made, dtype=np.float32)
