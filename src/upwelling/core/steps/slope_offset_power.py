"""Slope, offset, power and saturation: the ASC CDL."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from upwelling.core.colour.primaries import Primaries
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.operations import Decode, Encode, Operation, Saturate
from upwelling.core.operations import SlopeOffsetPower as SlopeOffsetPowerOperation
from upwelling.core.parameters import number
from upwelling.core.steps.base import Step

Triple = tuple[float, float, float]
_Slope = Annotated[float, Field(ge=0, le=4)]
_Offset = Annotated[float, Field(ge=-1, le=1)]
_Power = Annotated[float, Field(ge=0.1, le=4)]


class SlopeOffsetPower(Step):
    """ASC CDL v1.2 in the working log space (the ACEScct curve on the working primaries)."""

    title: ClassVar[str] = "Slope · offset · power"
    explanation: ClassVar[str] = "(code × slope + offset)^power per channel, then saturation, in the working log space."
    source: ClassVar[str] = "ASC Color Decision List v1.2"
    space: ClassVar[str] = "working log (ACEScct curve)"
    lights: ClassVar[tuple[str, ...]] = ("scene", "display")
    neutral: ClassVar[str] = "keeps neutral when the three channels are equal"

    kind: Literal["slope_offset_power"] = "slope_offset_power"
    slope: tuple[_Slope, _Slope, _Slope] = Field(
        (1.0, 1.0, 1.0),
        title="Slope",
        description="Gain on log code.",
        json_schema_extra={"unit": "×", "fine": 0.01, "low": 0, "high": 4},
    )
    offset: tuple[_Offset, _Offset, _Offset] = Field(
        (0.0, 0.0, 0.0),
        title="Offset",
        description="Added to log code.",
        json_schema_extra={"unit": "code", "fine": 0.005, "low": -1, "high": 1},
    )
    power: tuple[_Power, _Power, _Power] = Field(
        (1.0, 1.0, 1.0),
        title="Power",
        description="Exponent on log code.",
        json_schema_extra={"unit": "exponent", "fine": 0.01, "low": 0.1, "high": 4},
    )
    saturation: float = number(1.0, "Saturation", "×", 0, 4, 0.02, "Distance from luma, times this.")
    clamping: Literal["none", "asc"] = Field(
        "none",
        title="Clamping",
        description="“asc” holds log code to 0…1 as ASC CDL v1.2 prescribes; “none” keeps what lies outside.",
    )

    @property
    def invertible(self) -> bool:  # type: ignore[override]
        return self.clamping == "none" and self.saturation > 0 and min(self.slope) > 0

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        clamp = self.clamping == "asc"
        return (
            Encode(ACESCCT),
            SlopeOffsetPowerOperation(self.slope, self.offset, self.power, clamp),
            Saturate(self.saturation, clamp),
            Decode(ACESCCT),
        )

    def values_text(self) -> str:
        parts = [
            title
            for title, name in (("slope", "slope"), ("offset", "offset"), ("power", "power"))
            if getattr(self, name) != type(self).model_fields[name].default
        ]
        if self.saturation != 1.0:
            parts.append(f"saturation {self.saturation:.2f}")
        if self.clamping == "asc":
            parts.append("clamped")
        return " · ".join(parts) or "slope · offset · power at rest"
