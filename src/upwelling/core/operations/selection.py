"""Colours selected by hue, saturation and level."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.operations.base import NOTHING, Needs, Place
from upwelling.core.operations.colour import Rows, polar, smooth


@dataclass(frozen=True)
class Select:
    """A soft range of colour: 1 inside, 0 beyond its falloff; a part of a Matte.

    hue (degrees), half of its full width and its falloff; saturation low, high, falloff; stops low, high, falloff.
    """

    hue: float
    half_width: float
    hue_soft: float
    saturation: tuple[float, float, float]
    stops: tuple[float, float, float]
    invert: bool
    to_lms: Rows
    needs: ClassVar[Needs] = NOTHING

    def weight(self, rgb: Float64, place: Place | None = None) -> Float64:
        """0…1 of each pixel of linear light (…, 3)."""
        _, hue, saturation, stops = polar(rgb, np.array(self.to_lms))
        away = np.abs(np.mod(hue - self.hue + 180, 360) - 180)
        weight = smooth((self.half_width + self.hue_soft - away) / self.hue_soft)
        for value, (low, high, soft) in ((saturation, self.saturation), (stops, self.stops)):
            weight = weight * smooth((value - low) / soft + 1) * smooth((high - value) / soft + 1)
        return 1 - weight if self.invert else weight
