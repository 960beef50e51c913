"""A production's own output, fit to travel inside a recipe."""

from __future__ import annotations

from typing import Any, Literal, Self

from pydantic import Field, model_validator

from upwelling.core.colour.primaries import primaries
from upwelling.core.encodings.base import Range
from upwelling.core.encodings.custom import OwnPrimaries
from upwelling.core.errors import BadValue
from upwelling.core.frozen import Frozen
from upwelling.core.outputs.base import Depth, Output, Surround
from upwelling.core.outputs.registry import OUTPUTS

CurveName = Literal["BT.1886", "sRGB", "gamma 2.2", "gamma 2.4", "gamma 2.6", "PQ", "HLG"]
SURROUND_NITS: dict[Surround, float] = {"dark": 0.05, "dim": 5.0, "average": 12.0}
"""Luminance round the screen that a word stands for; 12 cd/m² is 190 lux on walls that reflect 20 %."""


class CustomOutput(Frozen):
    """Primaries, EOTF, peak and black, surround, range and depth of a display that is not built in."""

    name: str = Field(min_length=1, max_length=60)
    note: str = Field("", max_length=300)
    curve: CurveName = "BT.1886"
    primaries: Literal["BT.709", "P3-D65", "P3-DCI", "BT.2020"] | OwnPrimaries = "BT.709"
    limit: Literal["", "BT.709", "P3-D65"] = ""
    peak_nits: float = Field(100.0, ge=10, le=10000)
    black_nits: float = Field(0.0, ge=0, le=5)
    mid_grey_nits: float = Field(10.0, ge=0.5, le=400)
    white_nits: float = Field(100.0, ge=5, le=10000)
    surround: Surround = "dim"
    default_range: Range = "full"
    default_depth: Depth = 10

    @model_validator(mode="after")
    def _levels_rise(self) -> Self:
        if self.black_nits * 4 > self.mid_grey_nits:
            raise ValueError(
                f"A black of {self.black_nits:g} cd/m² leaves no room under a mid grey of {self.mid_grey_nits:g}; give "
                "a lower black"
            )
        if self.mid_grey_nits > 0.6 * self.peak_nits:
            raise ValueError(
                f"A mid grey of {self.mid_grey_nits:g} cd/m² leaves no room under a peak of {self.peak_nits:g}"
            )
        if not self.mid_grey_nits < self.white_nits <= self.peak_nits:
            raise ValueError(
                f"Reference white must lie above mid grey and not above the peak of {self.peak_nits:g} cd/m²"
            )
        if self.limit and self.limit == self.primaries:
            raise ValueError("The signal is in those primaries already; there is nothing to limit")
        return self

    @classmethod
    def checked(cls, body: Any) -> CustomOutput:
        """From plain data; raises BadValue with one sentence."""
        made = super().checked(body)
        if made.name.lower() in {name.lower() for name in OUTPUTS}:
            raise BadValue(f"“{made.name}” is the name of a built-in output. Choose another.")
        if isinstance(made.primaries, OwnPrimaries):
            made.primaries.primaries()
        return made

    def output(self) -> Output:
        """As an Output."""
        own = self.primaries.primaries() if isinstance(self.primaries, OwnPrimaries) else primaries(self.primaries)
        return Output(
            self.name,
            self.curve,
            own.name,
            self.peak_nits,
            self.mid_grey_nits,
            self.white_nits,
            self.surround,
            SURROUND_NITS[self.surround],
            self.note or "Defined in this production.",
            "Given by the production's technician",
            black_nits=self.black_nits,
            limit_name=self.limit,
            default_range=self.default_range,
            default_depth=self.default_depth,
            own_primaries=own,
        )
