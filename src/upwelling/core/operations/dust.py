"""Dust: specks at places of the frame, each made of the seed and the frame's number."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np

from upwelling.core.arrays import Float32, Float64
from upwelling.core.operations.base import PLACE, FrameOperation, Needs, Place
from upwelling.core.operations.colour import smooth

ASPECTS = (0.35, 1.0)
"""Least and greatest width of a speck over its length."""
SIZES = (0.35, 1.0)
"""Least and greatest length over the size that is set; few are large."""


@dataclass(frozen=True)
class Dust(FrameOperation):
    """Light times 2^(stops·w), with w from 1 within a speck to 0 at its soft edge. ``amount`` specks a frame on
    average, up to ``size`` frame heights long, over all of a frame of the place's shape.
    """

    amount: float
    size: float
    stops: float
    seed: int
    moment: int
    needs: ClassVar[Needs] = PLACE

    def reach(self, pixel: float) -> int:
        return 0

    def specks(self, place: Place) -> Any:
        """(N, 6): middle x and y from the frame's, half length and width (frame heights), angle, strength."""
        rng = np.random.Generator(np.random.PCG64([self.seed, self.moment]))
        count = int(rng.poisson(self.amount))
        shape = place.width / place.height
        drawn = rng.random((count, 6))
        length = self.size / 2 * (SIZES[0] + (SIZES[1] - SIZES[0]) * drawn[:, 2] ** 3)
        width = length * (ASPECTS[0] + (ASPECTS[1] - ASPECTS[0]) * drawn[:, 3])
        x, y, angle = (drawn[:, 0] - 0.5) * shape, drawn[:, 1] - 0.5, np.pi * drawn[:, 4]
        return np.stack([x, y, length, width, angle, 0.4 + 0.6 * drawn[:, 5]], axis=1)

    def weights(self, rows: int, columns: int, place: Place) -> Float64:
        """w of each pixel, (rows, columns); a speck covers at the least the pixel it lies in, by its share of it."""
        x, y = place.along(rows, columns)
        total = np.zeros((rows, columns))
        for cx, cy, length, width, angle, strength in self.specks(place):
            far = length + 2 * place.pixel
            left, right = np.searchsorted(x, (cx - far, cx + far))
            top, bottom = np.searchsorted(y, (cy - far, cy + far))
            dx, dy = x[left:right] - cx, (y[top:bottom] - cy)[:, None]
            along, across = dx * np.cos(angle) + dy * np.sin(angle), dy * np.cos(angle) - dx * np.sin(angle)
            away = np.hypot(along / length, across / width)
            soft = max(place.pixel / width, 0.3)
            part = total[top:bottom, left:right]
            np.maximum(part, strength * smooth((1 + soft / 2 - away) / soft), out=part)
        return total

    def _gain(self, shape: tuple[int, ...], place: Place) -> Float64:
        return np.asarray(np.exp2(self.stops * self.weights(shape[0], shape[1], place))[..., None])

    def apply_at(self, rgb: Float64, place: Place) -> Float64:
        return rgb * self._gain(rgb.shape, place)

    def run_at(self, rgb: Float32, place: Place) -> Float32:
        return rgb * self._gain(rgb.shape, place).astype(np.float32)
