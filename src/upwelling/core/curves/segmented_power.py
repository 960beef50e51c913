"""Power curves with a straight segment near black (BT.709 OETF, sRGB) and pure powers (BT.1886, gammas, linear)."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from upwelling.core.arrays import Float, signed_power
from upwelling.core.curves.base import Anchor, Declared

_DISPLAY = "1.0 = peak white of the display"


@dataclass(frozen=True)
class SegmentedPower(Declared):
    """code = (1 + a)·x^(1/exponent) − a for x ≥ break_linear, slope·x below (continued through negative values)."""

    exponent: float = field(default=1.0, kw_only=True)
    a: float = field(default=0.0, kw_only=True)
    slope: float = field(default=1.0, kw_only=True)
    break_linear: float = field(default=0.0, kw_only=True)
    break_code: float = field(default=0.0, kw_only=True)

    def to_linear(self, code: Float) -> Any:
        code = np.asarray(code)
        above = ((np.maximum(code, self.break_code) + self.a) / (1 + self.a)) ** self.exponent
        return np.where(code >= self.break_code, above, code / self.slope)

    def from_linear(self, linear: Float) -> Any:
        linear = np.asarray(linear)
        above = (1 + self.a) * np.maximum(linear, self.break_linear) ** (1 / self.exponent) - self.a
        return np.where(linear >= self.break_linear, above, self.slope * linear)


@dataclass(frozen=True)
class PurePower(Declared):
    """linear = sign(code)·|code|^exponent."""

    exponent: float = field(default=1.0, kw_only=True)

    def to_linear(self, code: Float) -> Any:
        return signed_power(np.asarray(code), self.exponent)

    def from_linear(self, linear: Float) -> Any:
        return signed_power(np.asarray(linear), 1 / self.exponent)


@dataclass(frozen=True)
class Identity(Declared):
    """Linear light is its own code."""

    def to_linear(self, code: Float) -> Any:
        return np.asarray(code) * 1.0

    def from_linear(self, linear: Float) -> Any:
        return np.asarray(linear) * 1.0


LINEAR = Identity(
    name="linear",
    explanation="No curve: the code is scene-linear light.",
    source="By definition",
    anchors=(Anchor(0.0, 0), Anchor(0.18, 0.18 * 1023), Anchor(0.90, 0.90 * 1023)),
)
# ITU-R BT.709-6, item 1.2: 1.099 and 0.099 as printed. With them the branches do not meet: codes between 0.081 and
# 0.08124 come from no light. They are read by the straight segment, as colour-science reads them.
BT709 = SegmentedPower(
    name="BT.709",
    explanation="Camera OETF of HD television: scene light to signal. The display's curve is BT.1886, not its inverse.",
    source="ITU-R BT.709-6 (2015), item 1.2",
    anchors=(Anchor(0.0, 0), Anchor(0.18, 0.409 * 1023), Anchor(0.90, 0.949 * 1023)),
    exponent=1 / 0.45,
    a=0.099,
    slope=4.5,
    break_linear=0.018,
    break_code=1.099 * 0.018**0.45 - 0.099,
)
# IEC 61966-2-1:1999, section 5.2.
SRGB = SegmentedPower(
    name="sRGB",
    explanation="Curve of the web's default colour space.",
    source="IEC 61966-2-1:1999",
    anchors=(Anchor(0.0, 0), Anchor(0.18, 0.4613561 * 1023)),
    linear_unit=_DISPLAY,
    exponent=2.4,
    a=0.055,
    slope=12.92,
    break_linear=0.0031308,
    break_code=0.0031308 * 12.92,
)
# ITU-R BT.1886 annex 1 with L_B = 0: L = L_W · V^2.4. A black above zero belongs to the Output that has it.
BT1886 = PurePower(
    name="BT.1886",
    explanation="Display EOTF of studio SDR monitors, black at 0 cd/m².",
    source="ITU-R BT.1886 (2011), annex 1",
    anchors=(Anchor(0.0, 0),),
    linear_unit=_DISPLAY,
    exponent=2.4,
)


def _gamma(exponent: float, source: str) -> PurePower:
    return PurePower(
        name=f"gamma {exponent:g}",
        explanation=f"Pure power of {exponent:g}, without a straight part.",
        source=source,
        anchors=(Anchor(0.0, 0),),
        linear_unit=_DISPLAY,
        exponent=exponent,
    )


CURVES = (
    LINEAR,
    BT709,
    SRGB,
    BT1886,
    _gamma(2.2, "By definition; ITU-R BT.470-6, assumed display gamma of system M"),
    PurePower(name="opRGB", explanation="A pure power of 2 51/256.", source="IEC 61966-2-5:2007", exponent=563 / 256),
    _gamma(2.4, "By definition; the power of ITU-R BT.1886"),
    _gamma(2.6, "SMPTE ST 431-1:2006, cinema"),
)
