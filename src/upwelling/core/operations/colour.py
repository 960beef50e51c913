"""Operations on hue, saturation and brightness in Oklab over scene light.

Oklab is homogeneous: exposure scales L, a and b together. So hue and saturation C/L do not change with exposure, and
brightness is 3·log2(L) in stops from mid grey. Cone responses of 0 or less keep their sign through the cube root.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.colour.oklab import LAB_TO_ROOT, ROOT_TO_LAB
from upwelling.core.curves.spline import Spline
from upwelling.core.operations.base import PixelOperation

Rows = tuple[tuple[float, float, float], ...]
LEAST_LIGHTNESS = 0.005
"""Below this L (about −20 stops from mid grey) saturation and brightness are taken at it: there is no colour to speak
of.
"""
NEUTRAL_FADE = 0.06
"""Brightness by hue fades to nothing from this saturation C/L down to neutral, where hue has no meaning."""
FLAT = Spline(((0.0, 0.0), (1.0, 0.0)))
"""A curve that moves nothing."""
_ROOT_GREY = float(np.cbrt(MID_GREY))


def polar(rgb: Float64, to_lms: Float64) -> tuple[Float64, Float64, Float64, Float64]:
    """Oklab (…, 3), hue in degrees 0…360, saturation C/L, and brightness in stops from mid grey, of linear light."""
    lab = np.cbrt(rgb @ to_lms.T) @ ROOT_TO_LAB.T
    lightness = np.maximum(lab[..., 0], LEAST_LIGHTNESS)
    hue = np.mod(np.degrees(np.arctan2(lab[..., 2], lab[..., 1])), 360.0)
    return lab, hue, np.hypot(lab[..., 1], lab[..., 2]) / lightness, 3 * np.log2(lightness / _ROOT_GREY)


def smooth(t: Float64) -> Float64:
    """0 up to 0, 1 from 1, and 3t² − 2t³ between."""
    t = np.clip(t, 0.0, 1.0)
    return t * t * (3 - 2 * t)


@dataclass(frozen=True)
class ColourShift(PixelOperation):
    """Turns hue (degrees), scales saturation and moves brightness (stops), each as a function of hue, saturation and
    brightness (stops).

    Turns and moves add up. The saturation gain is the product of its three curves; with ``amount`` it is
    1 + (amount − 1)·product instead, so that the curves protect. Hue and the saturation gain never touch neutral;
    brightness by hue fades out towards it.
    """

    hue_by_hue: Spline
    saturation_by_hue: Spline
    brightness_by_hue: Spline
    saturation_by_saturation: Spline
    saturation_by_stops: Spline
    to_lms: Rows
    amount: float | None = None
    hue_by_saturation: Spline = FLAT
    hue_by_stops: Spline = FLAT
    brightness_by_saturation: Spline = FLAT
    brightness_by_stops: Spline = FLAT

    @property
    def scales_chroma_alone(self) -> bool:
        """Whether all it does is to scale chroma by one number, the same for every colour."""
        gains = (self.saturation_by_hue, self.saturation_by_saturation, self.saturation_by_stops)
        moves = [self.hue_by_hue, self.hue_by_saturation, self.hue_by_stops, self.brightness_by_hue]
        moves += [self.brightness_by_saturation, self.brightness_by_stops]
        return all(gain.is_flat(1.0) for gain in gains) and all(move.is_flat(0.0) for move in moves)

    def apply(self, rgb: Float64) -> Float64:
        matrix = np.array(self.to_lms)
        lab, hue, saturation, stops = polar(rgb, matrix)
        gain = self.saturation_by_hue(hue) * self.saturation_by_saturation(saturation) * self.saturation_by_stops(stops)
        if self.amount is not None:
            gain = 1 + (self.amount - 1) * gain
        turn = np.radians(self.hue_by_hue(hue) + self.hue_by_saturation(saturation) + self.hue_by_stops(stops))
        lift = self.brightness_by_hue(hue) * smooth(saturation / NEUTRAL_FADE)
        up = np.exp2((lift + self.brightness_by_saturation(saturation) + self.brightness_by_stops(stops)) / 3)
        a, b = lab[..., 1] * gain, lab[..., 2] * gain
        shifted = np.stack(
            [lab[..., 0], a * np.cos(turn) - b * np.sin(turn), a * np.sin(turn) + b * np.cos(turn)], axis=-1
        )
        root = (shifted * up[..., None]) @ LAB_TO_ROOT.T
        return np.asarray(root**3 @ np.linalg.inv(matrix).T)
