"""Outputs: the displays a picture is rendered for."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.curves import CURVES, Curve
from upwelling.core.encodings.base import Range
from upwelling.core.errors import UnknownName
from upwelling.core.primaries import PRIMARIES, Primaries, rgb_to_xyz


@dataclass(frozen=True)
class Output:
    """A display target. ``mid_grey_nits`` is where scene mid grey 0.18 is placed."""

    name: str
    curve_name: str
    primaries_name: str
    peak_nits: float
    mid_grey_nits: float
    surround: str
    explanation: str
    source: str
    default_range: Range = "full"

    @property
    def curve(self) -> Curve:
        return CURVES[self.curve_name]

    @property
    def primaries(self) -> Primaries:
        return PRIMARIES[self.primaries_name]

    def to_code(self, relative_light: Any) -> Any:
        """Full-range display code of display light relative to the peak (inverse EOTF)."""
        return self.curve.from_linear(relative_light)

    def to_light(self, code: Any) -> Any:
        """Display light relative to the peak, of full-range display code (EOTF)."""
        return self.curve.to_linear(code)

    def to_xyz(self, code: Any) -> Float64:
        """XYZ relative to the display's white (Y = 1), of full-range display code (…, 3)."""
        light: Float64 = self.to_light(np.clip(code, 0, 1)) @ rgb_to_xyz(self.primaries).T
        return light


# Mid grey at a tenth of the peak: about 10 cd/m² of 100, common practice, no source.
_MEMBERS = (
    Output("BT.709 BT.1886", "BT.1886", "BT.709", 100.0, 10.0, "dim",
           "HD television on a studio monitor.", "ITU-R BT.709-6; BT.1886; BT.2035 (100 cd/m²)", "legal"),
    Output("sRGB", "sRGB", "BT.709", 80.0, 8.0, "average",
           "Web and office screens.", "IEC 61966-2-1:1999 (80 cd/m²)"),
    Output("Display P3", "sRGB", "P3-D65", 100.0, 10.0, "average",
           "Wide-primaries screens of phones and computers.", "SMPTE EG 432-1:2010 primaries; IEC 61966-2-1 curve"),
)
OUTPUTS: dict[str, Output] = {member.name: member for member in _MEMBERS}
_BY_LOWER = {name.lower(): member for name, member in OUTPUTS.items()}


def output(name: str) -> Output:
    """The output of that name, matched without regard to case; raises UnknownName."""
    try:
        return _BY_LOWER[name.strip().lower()]
    except KeyError:
        raise UnknownName("output", name, list(OUTPUTS)) from None
