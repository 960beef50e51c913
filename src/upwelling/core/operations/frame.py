"""Operations on a frame: what is handed out of the middle of a run, and light that depends on where a pixel stands."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.operations.base import PixelOperation, Place, PlacedOperation


@dataclass(frozen=True)
class Tap(PixelOperation):
    """Leaves the pixel as it is; the tile engine also writes it to the picture of that number."""

    number: int

    def apply(self, rgb: Float64) -> Float64:
        return rgb


@dataclass(frozen=True)
class RadialGain(PlacedOperation):
    """rgb·2^(stops·s), where s goes from 0 within ``inner`` to 1 beyond ``outer``, as 3t² − 2t³ of the distance from a
    centre.

    Distances are in frame heights; the centre is given from the frame's middle, y downwards; ``stretch`` divides x.
    """

    stops: float
    x: float
    y: float
    inner: float
    outer: float
    stretch: float = 1.0

    def apply_at(self, rgb: Float64, place: Place) -> Float64:
        x, y = place.along(*rgb.shape[:2])
        away = np.hypot((x[None, :] - self.x) / self.stretch, y[:, None] - self.y)
        t = np.clip((away - self.inner) / (self.outer - self.inner), 0.0, 1.0)
        return np.asarray(rgb * np.exp2(self.stops * t * t * (3 - 2 * t))[..., None])
