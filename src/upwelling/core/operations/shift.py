"""A picture moved by less than a pixel or more: Keys' cubic between pixels, held to what stands around."""

from __future__ import annotations

from dataclasses import dataclass
from functools import reduce
from typing import Any

import cv2
import numpy as np

from upwelling.core.arrays import Float32, Float64
from upwelling.core.operations.base import FrameOperation, Place


def cubic_taps(fraction: float) -> Float64:
    """Weights (4,) of the pixels at −1, 0, 1, 2 for a place ``fraction`` beyond pixel 0: cubic convolution with a = −½.

    R. G. Keys, IEEE Transactions on Acoustics, Speech and Signal Processing 29 (1981), 1153–1160.
    """
    s = np.abs(fraction - np.arange(-1, 3))
    near, far = (1.5 * s - 2.5) * s * s + 1, ((-0.5 * s + 2.5) * s - 4) * s + 2
    return np.where(s <= 1, near, np.where(s < 2, far, 0.0))


@dataclass(frozen=True)
class Shift(FrameOperation):
    """The picture moved right and down by shares of the frame's height. No value leaves the range of the four pixels
    about its place, so that bright edges throw no dark lines.
    """

    right: float
    down: float

    def reach(self, pixel: float) -> int:
        return int(np.ceil(max(abs(self.right), abs(self.down)) / pixel)) + 2

    def _places(self, place: Place) -> list[tuple[int, float]]:
        """Whole pixels and the rest, down and across, of where a pixel's light comes from."""
        moves = [-self.down / place.pixel, -self.right / place.pixel]
        return [(int(np.floor(move)), float(move - np.floor(move))) for move in moves]

    def apply_at(self, rgb: Float64, place: Place) -> Float64:
        (row, fy), (column, fx) = self._places(place)
        height, width, far = rgb.shape[0], rgb.shape[1], self.reach(place.pixel)
        wide = np.pad(rgb, ((far, far), (far, far), (0, 0)), mode="symmetric")

        def at(y: int, x: int) -> Any:
            return wide[far + row + y : far + row + y + height, far + column + x : far + column + x + width]

        down, across = cubic_taps(fy), cubic_taps(fx)
        total = sum(down[y + 1] * across[x + 1] * at(y, x) for y in range(-1, 3) for x in range(-1, 3))
        around = [at(y, x) for y in (0, 1 if fy else 0) for x in (0, 1 if fx else 0)]
        return np.asarray(np.clip(total, reduce(np.minimum, around), reduce(np.maximum, around)))

    def run_at(self, rgb: Float32, place: Place) -> Float32:
        (row, fy), (column, fx) = self._places(place)
        height, width, far = rgb.shape[0], rgb.shape[1], self.reach(place.pixel)
        wide = np.pad(rgb, ((far, far), (far, far), (0, 0)), mode="symmetric")
        # Whole pixels by where it is cut, one before and two after; the rest by four taps.
        top, left = far + row - 1, far + column - 1
        part = np.ascontiguousarray(wide[top : top + height + 3, left : left + width + 3])
        down, across = (cubic_taps(fraction).astype(np.float32) for fraction in (fy, fx))
        made = cv2.sepFilter2D(part, cv2.CV_32F, across, down, anchor=(1, 1))
        near = np.ones((1 + bool(fy), 1 + bool(fx)), np.uint8)
        least, most = cv2.erode(part, near, anchor=(0, 0)), cv2.dilate(part, near, anchor=(0, 0))
        inner = np.s_[1 : 1 + height, 1 : 1 + width]
        return np.ascontiguousarray(np.clip(made[inner], least[inner], most[inner]))
