"""Encoding: a transfer curve plus primaries, with its default range and where its linear light stands."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal

import numpy as np

from upwelling.core.colour.primaries import PRIMARIES, Primaries
from upwelling.core.curves import CURVES, Curve
from upwelling.core.curves.hlg import Ootf

Range = Literal["full", "legal"]
Referred = Literal["scene", "display"]


@dataclass(frozen=True)
class Encoding:
    """What a file's code values mean.

    ``linear_scale`` turns the curve's linear unit into scene-linear with 1.0 = 100 % diffuse reflector.
    ``referred`` says whether that light is the scene's or a finished display picture's. ``ootf`` is set where the light
    is that of an HLG display. User-defined encodings bring their own curve or primaries.
    """

    name: str
    curve_name: str
    primaries_name: str
    explanation: str
    source: str
    referred: Referred = "scene"
    default_range: Range = "full"
    linear_scale: float = 1.0
    scale_source: str = ""
    ootf: Ootf | None = None
    own_curve: Curve | None = None
    own_primaries: Primaries | None = None

    @property
    def curve(self) -> Curve:
        return self.own_curve or CURVES[self.curve_name]

    @property
    def primaries(self) -> Primaries:
        return self.own_primaries or PRIMARIES[self.primaries_name]

    def to_linear(self, code: Any) -> Any:
        """Scene-linear RGB in the encoding's own primaries, from full-range code values.

        With an OOTF the three channels belong together and the last axis must be RGB.
        """
        code = np.asarray(code)
        if self.ootf is None:
            return self.curve.to_linear(code) * self.linear_scale
        lift = self.ootf.lift
        return self.ootf.to_display(self.curve.to_linear(code * (1 - lift) + lift)) * self.linear_scale

    def from_linear(self, rgb_linear: Any) -> Any:
        """Full-range code values, from scene-linear RGB in the encoding's own primaries."""
        light = np.asarray(rgb_linear) / self.linear_scale
        if self.ootf is None:
            return self.curve.from_linear(light)
        lift = self.ootf.lift
        return (self.curve.from_linear(self.ootf.to_scene(light)) - lift) / (1 - lift)

    def neutral_to_linear(self, code: Any) -> Any:
        """Linear light of neutral codes of any shape."""
        return self.to_linear(np.repeat(np.asarray(code)[..., None], 3, axis=-1))[..., 1]

    def neutral_from_linear(self, linear: Any) -> Any:
        """Codes of neutral linear light of any shape."""
        return self.from_linear(np.repeat(np.asarray(linear)[..., None], 3, axis=-1))[..., 1]

    def code_of(self, reflectance: float) -> float:
        """The full-range code value (0…1) of a neutral reflectance."""
        return float(self.neutral_from_linear(np.array(reflectance, dtype=np.float64)))

    @property
    def stops(self) -> tuple[float, float]:
        """Lowest and highest scene value held, in stops from mid grey 0.18.

        The lowest is where one 10-bit code is worth a whole stop (computed from the curve), as below it nothing can
        be told apart; the highest is code 1.0.
        """
        return _stops(self)


@lru_cache(maxsize=256)
def _stops(encoding: Encoding) -> tuple[float, float]:
    high = math.log2(float(encoding.neutral_to_linear(np.array(1.0))) / 0.18)
    places = np.arange(0.0, -24.0, -0.1)
    codes = encoding.neutral_from_linear(0.18 * np.exp2(np.stack([places, places - 1.0])))
    flat = (codes[0] - codes[1]) * 1023 < 1.0
    return (float(round(places[int(np.argmax(flat))], 1)) if flat.any() else -24.0), high


def legal_to_full(code: Any, depth: int) -> Any:
    """Signal 0…1 of narrow-range codes held in 0…1 of the full scale at ``depth`` bits (ITU-R BT.2100-2 table 9)."""
    black, span, full = 16 * 2 ** (depth - 8), 219 * 2 ** (depth - 8), 2**depth - 1
    return (np.asarray(code) * full - black) / span


def full_to_legal(signal: Any, depth: int) -> Any:
    """The inverse of ``legal_to_full``; values outside 0…1 become the reserves below black and above white."""
    black, span, full = 16 * 2 ** (depth - 8), 219 * 2 ** (depth - 8), 2**depth - 1
    return (np.asarray(signal) * span + black) / full
