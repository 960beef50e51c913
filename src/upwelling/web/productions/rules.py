"""Rules: what a production sets once for all its shots."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, field_validator, model_validator

from upwelling.core.colour.primaries import Adaptation
from upwelling.core.encodings import Range
from upwelling.core.errors import BadValue
from upwelling.core.frozen import Frozen
from upwelling.core.media.rates import rate_text, read_rate
from upwelling.core.outputs import output
from upwelling.core.proof.tolerances import HDR, Tolerances
from upwelling.core.rendering import AnyRendering, DisplayLook, Rise

MOST_DELIVERIES = 8


class FurtherOutput(Frozen):
    """A further output that the production delivers; without a rendering of its own it has the production's."""

    output: str = Field(max_length=60)
    range: Range = "full"
    depth: Literal[8, 10, 12, 16] = 10
    rendering: AnyRendering | None = None


class Rules(Frozen):
    """Working space, default input, rendering and outputs of a production. An empty default encoding settles nothing.

    ``output`` is the main output, which pages show unless another is chosen; ``deliveries`` are the others.

    ``managed`` off shows every shot's own numbers, unconverted. The HLG display's peak and black are those of its OOTF.
    """

    working: Literal["AP1", "BT.2020"] = "AP1"
    adaptation: Adaptation = "CAT02"
    default_encoding: str = Field("", max_length=80)
    managed: bool = True
    hlg_peak_nits: float = Field(1000.0, ge=100, le=10000)
    hlg_black_nits: float = Field(0.0, ge=0, le=5)
    output: str = Field("BT.709 BT.1886", max_length=60)
    range: Range = "full"
    depth: Literal[8, 10, 12, 16] = 10
    rendering: AnyRendering = Rise()
    display_looks: tuple[DisplayLook, ...] = Field((), max_length=2)
    """At most one for SDR outputs and one for HDR ones."""
    rate: str = Field("", max_length=20)
    """Frames a second that the production runs at; empty: each shot at its own."""
    delivery_folder: str = Field("", max_length=80)
    """The folder that files are delivered into unless another is said; a pattern."""
    deliveries: tuple[FurtherOutput, ...] = Field((), max_length=MOST_DELIVERIES)
    tolerances: Tolerances = Tolerances()
    hdr_tolerances: Tolerances = HDR

    @model_validator(mode="after")
    def _one_a_kind(self) -> Self:
        kinds = [output(one.lut.expects).is_hdr for one in self.display_looks]
        if len(set(kinds)) < len(kinds):
            raise ValueError("There is at most one Look of the display for SDR outputs and one for HDR ones")
        return self

    @field_validator("rate")
    @classmethod
    def _rate(cls, said: str) -> str:
        try:
            return rate_text(read_rate(said)) if said.strip() else ""
        except BadValue as error:
            raise ValueError(str(error)) from None

    @property
    def outputs(self) -> list[str]:
        """The main output's name, then those of the others that it delivers."""
        return [self.output, *(one.output for one in self.deliveries)]

    def display_look(self, is_hdr: bool) -> DisplayLook | None:
        """The Look of the display for SDR or for HDR outputs."""
        return next((one for one in self.display_looks if output(one.lut.expects).is_hdr == is_hdr), None)

    def limits(self, is_hdr: bool) -> Tolerances:
        """What bakes are held to on SDR or HDR outputs."""
        return self.hdr_tolerances if is_hdr else self.tolerances

    def delivery(self, output: str) -> FurtherOutput:
        """The main output for an empty or unknown name, else the delivery of that name."""
        main = FurtherOutput(output=self.output, range=self.range, depth=self.depth, rendering=self.rendering)
        return next((d for d in self.deliveries if d.output == output), main)
