"""Gains and saturation by the pixel's stops."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.operations.base import PixelOperation
from upwelling.core.operations.pixel import Norm, stops_of


class StopsCurve:
    """A smooth curve over stops that is constant beyond ``span``."""

    @property
    def span(self) -> tuple[float, float]:
        raise NotImplementedError

    def __call__(self, stops: Any) -> Float64:
        raise NotImplementedError


@dataclass(frozen=True)
class ZoneGains(PixelOperation):
    """(Y + s·(rgb − Y))·2^gain, with s and the gains of red, green and blue by the stops of the pixel's norm from mid
    grey, and Y = luminance·rgb.
    """

    norm: Norm
    luminance: tuple[float, float, float]
    red: StopsCurve
    green: StopsCurve
    blue: StopsCurve
    saturation: StopsCurve

    def apply(self, rgb: Float64) -> Float64:
        stops = stops_of(rgb, self.norm, self.luminance)
        y = (rgb @ np.array(self.luminance))[..., None]
        gains = np.stack([self.red(stops), self.green(stops), self.blue(stops)], axis=-1)
        return np.asarray((y + self.saturation(stops)[..., None] * (rgb - y)) * np.exp2(gains))
