"""A third-party LUT as a step of a Look, between declared spaces."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

from pydantic import Field, model_validator

from upwelling.core.colour.primaries import Primaries, rgb_to_rgb
from upwelling.core.encodings import encoding
from upwelling.core.errors import UpwellingError
from upwelling.core.operations import Matrix, Operation, decode_operations, encode_operations
from upwelling.core.operations.declared_lut import DeclaredLut
from upwelling.core.steps.base import Step


class LutStep(Step):
    """Working light to the code the table expects, through it, and back from the code it gives."""

    title: ClassVar[str] = "LUT"
    explanation: ClassVar[str] = (
        "A lookup table brought in, run in the space it was declared for. What its domain cannot hold is held at "
        "the edge."
    )
    source: ClassVar[str] = "The table's own file, known by its hash"
    space: ClassVar[str] = "as declared"
    neutral: ClassVar[str] = "as the table has it"
    invertible: ClassVar[bool] = False

    kind: Literal["lut"] = "lut"
    lut: DeclaredLut = Field(title="Table", description="The table and its declared spaces.")

    @model_validator(mode="after")
    def _gives_code(self) -> Self:
        try:
            encoding(self.lut.gives)
        except UpwellingError:
            raise ValueError(
                f"{self.lut.table.name} gives {self.lut.gives}, which is no scene encoding: use it as a Rendering, not "
                "in a Look"
            ) from None
        return self

    @property
    def changes_nothing(self) -> bool:
        return False

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        before, after = self.lut.source, encoding(self.lut.gives)
        return (
            Matrix.of(rgb_to_rgb(working, before.primaries, "CAT02")),
            *encode_operations(before),
            *self.lut.operations(),
            *decode_operations(after),
            Matrix.of(rgb_to_rgb(after.primaries, working, "CAT02")),
        )

    def values_text(self) -> str:
        return f"{self.lut.table.name}, {self.lut.expects} → {self.lut.gives}"
