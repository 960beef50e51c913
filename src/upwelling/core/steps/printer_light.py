"""Printer lights: red, green and blue offsets in points, in the working log space."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from upwelling.core.colour.primaries import Primaries
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.operations import Decode, Encode, Operation, SlopeOffsetPower
from upwelling.core.parameters import signed
from upwelling.core.steps.base import Step

POINTS_A_STOP = 12.0
"""A printer's point is 0.025 of log10 exposure, so 12.04 make a stop; 12 is common practice, no source."""
_Points = Annotated[float, Field(ge=-60, le=60)]


class PrinterLight(Step):
    """The same offset of log code at every level: above the toe a gain in stops."""

    title: ClassVar[str] = "Printer light"
    explanation: ClassVar[str] = (
        "Moves each channel by points in the working log space; 12 points are one stop, + is brighter."
    )
    source: ClassVar[str] = "12 points a stop: common practice, no source; Academy S-2016-001 for the log curve"
    space: ClassVar[str] = "working log (ACEScct curve)"
    neutral: ClassVar[str] = "keeps neutral when the three are equal"

    kind: Literal["printer_light"] = "printer_light"
    points: tuple[_Points, _Points, _Points] = Field(
        (0.0, 0.0, 0.0),
        title="Points",
        description="Offset of each channel; 12 points are one stop.",
        json_schema_extra={"unit": "points", "fine": 0.5, "low": -60, "high": 60},
    )

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        r, g, b = (points / POINTS_A_STOP * ACESCCT.log_slope for points in self.points)
        return (Encode(ACESCCT), SlopeOffsetPower((1, 1, 1), (r, g, b), (1, 1, 1), False), Decode(ACESCCT))

    def values_text(self) -> str:
        return "Points " + " ".join(signed(v, 1) for v in self.points)
