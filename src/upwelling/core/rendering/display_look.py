"""A display-referred Look: a table made from one display's code to another's, laid over what the rendering gives."""

from __future__ import annotations

import numpy as np
from pydantic import Field, field_validator, model_validator

from upwelling.core.colour.primaries import Adaptation, rgb_to_rgb
from upwelling.core.errors import BadValue, UpwellingError
from upwelling.core.frozen import Frozen
from upwelling.core.operations import Affine, Matrix, Mixed, Operation
from upwelling.core.operations.declared_lut import DeclaredLut
from upwelling.core.outputs import Output, output

_OUTSIDE = 1e-6


class DisplayTable(DeclaredLut):
    """A table whose ``expects`` and ``gives`` are both names of outputs, of the same kind of range."""

    @field_validator("expects", "gives")
    @classmethod
    def _known(cls, name: str) -> str:
        try:
            return output(name).name
        except UpwellingError as error:
            raise ValueError(f"a Look of the display runs from display code to display code: {error}") from None

    @model_validator(mode="after")
    def _of_one_kind(self) -> DisplayTable:
        if output(self.expects).is_hdr != output(self.gives).is_hdr:
            raise ValueError(
                f"{self.table.name} goes from {self.expects} to {self.gives}: between SDR and HDR that is a rendering, "
                "not a Look of the display"
            )
        return self


class DisplayLook(Frozen):
    """The table and how much of it is mixed in, in the code of the display that is rendered for."""

    lut: DisplayTable = Field(title="Table", description="The table and the two outputs it was made between.")
    strength: float = Field(1.0, ge=0, le=1)
    on: bool = True

    @property
    def acts(self) -> bool:
        return self.on and self.strength > 0

    def operations(self, target: Output, adaptation: Adaptation = "CAT02") -> tuple[Operation, ...]:
        """From light over ``target``'s peak, in its primaries, to the same. What the table's domain cannot hold is held
        at its edge. Raises BadValue for a target of the other kind of range.
        """
        if not self.acts:
            return ()
        expects, gives = output(self.lut.expects), output(self.lut.gives)
        if expects.is_hdr != target.is_hdr:
            kinds = ("an HDR", "an SDR") if expects.is_hdr else ("an SDR", "an HDR")
            raise BadValue(
                f"{self.lut.table.name} is a Look for {expects.name}, {kinds[0]} display; {target.name} is {kinds[1]} "
                "one. Take it off, or switch it off, for this output."
            )
        work = (
            *_between(target, expects, adaptation),
            *expects.encode_operations(),
            *self.lut.operations(),
            *gives.decode_operations(),
            *_between(gives, target, adaptation),
        )
        if self.strength == 1:
            return work
        return (Mixed(work, self.strength, into=target.encode_operations(), back=target.decode_operations()),)

    def remark(self, target: Output) -> str:
        """What is lost because the table was made for a smaller display; empty where nothing is."""
        expects = output(self.lut.expects)
        corners = np.eye(3) @ rgb_to_rgb(target.gamut, expects.gamut, "CAT02").T
        lost = []
        if corners.min() < -_OUTSIDE:
            lost.append(f"colours outside {expects.gamut.name}")
        if target.is_hdr and expects.peak_nits < target.peak_nits:
            lost.append(f"light above {expects.peak_nits:g} cd/m²")
        return f"{self.lut.table.name} was made for {expects.name}: {' and '.join(lost)} are held there" if lost else ""

    def summary(self) -> str:
        """For the Column: the table, between which displays, and how much of it."""
        text = f"{self.lut.table.name}, {self.lut.expects}" + (
            f" → {self.lut.gives}" if self.lut.gives != self.lut.expects else ""
        )
        return text if self.strength == 1 else f"{text} at {100 * self.strength:.0f} %"


def _between(first: Output, second: Output, adaptation: Adaptation) -> tuple[Operation, ...]:
    """Light over one output's peak as light over another's; SDR displays are matched by peak, HDR ones by cd/m²."""
    if first == second:
        return ()
    scale = first.peak_nits / second.peak_nits if first.is_hdr else 1.0
    matrix = Matrix.of(rgb_to_rgb(first.gamut, second.gamut, adaptation))
    return (*((Affine(scale),) if scale != 1 else ()), matrix)
