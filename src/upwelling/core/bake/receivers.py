"""Receivers: what will use a LUT, modelled, so that a bake is tested the way it will be used."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, ValidationError, field_validator, model_validator

from upwelling.core.encodings import Range
from upwelling.core.errors import BadValue
from upwelling.core.frozen import Frozen
from upwelling.core.lut import Interpolation
from upwelling.core.parameters import refusal
from upwelling.core.tables.formats import FORMATS, FormatName

Depth = Literal[0, 8, 10, 12, 16]
"""Bits of a signal or a table's entries; 0: floating point."""
SMALLEST, LARGEST = 2, 129
FITTED_UP_TO = 36
"""Points a side up to which entries are fitted: beyond, the samples of the fit no longer decide every entry, and
sampling errs little.
"""


class Receiver(Frozen):
    """What a device or program does with a table.

    ``input_range`` says where the signal lies in the codes that index the table: full, 0…1; legal, the table spans all
    codes and the signal 64…940 of 10 bit (in proportion in other depths). ``beyond``: codes outside the table's domain
    are held at its edge, or carried straight on. Entries of ``precision`` bits hold 0…1 only.
    """

    name: str = Field(min_length=1, max_length=60)
    note: str = Field("", max_length=300)
    formats: tuple[FormatName, ...] = Field(("cube",), min_length=1)
    grids: tuple[int, ...] = Field((33,), min_length=1, max_length=16)
    most_entries: int = Field(4096, ge=2, le=65536)
    interpolation: Interpolation = "tetrahedral"
    precision: Depth = 0
    input_range: Range = "full"
    input_depth: Depth = 10
    output_range: Range = "full"
    output_depth: Depth = 10
    beyond: Literal["held", "carried on"] = "held"

    @field_validator("grids")
    @classmethod
    def _sizes(cls, grids: tuple[int, ...]) -> tuple[int, ...]:
        for size in grids:
            if not SMALLEST <= size <= LARGEST:
                raise ValueError(f"a grid of {size} cannot be baked; {SMALLEST} to {LARGEST} can")
        return tuple(sorted(set(grids)))

    @model_validator(mode="after")
    def _some_grid_fits(self) -> Self:
        if not any(self.sizes(name) for name in self.formats):
            form = FORMATS[self.formats[0]]
            raise ValueError(f"a {form.title} holds grids of {form.sides_said} points; allow one of them")
        return self

    @staticmethod
    def prefers_fitted(size: int) -> bool:
        """Whether a cube of this size has fitted entries unless a person says otherwise."""
        return size <= FITTED_UP_TO

    def sizes(self, format_name: str) -> tuple[int, ...]:
        """The grids it takes in a format."""
        return tuple(n for n in self.grids if FORMATS[format_name].sides(n))

    @classmethod
    def refused(cls, error: ValidationError) -> str:
        return refusal(error, otherwise="Receiver")

    def summary(self) -> str:
        """Its properties in one line."""

        def depth(bits: int) -> str:
            return f"{bits} bit" if bits else "float"

        formats = ", ".join(FORMATS[name].title for name in self.formats)
        return (
            f"{formats} · grid {', '.join(map(str, self.grids))} · {self.interpolation} · entries "
            f"{depth(self.precision)} · in {self.input_range} {depth(self.input_depth)}"
            f" · out {self.output_range} {depth(self.output_depth)} · beyond the domain {self.beyond}"
        )


RECEIVERS: tuple[Receiver, ...] = (
    Receiver(
        name="Monitor box",
        note="A box before a monitor: legal signal in and out, a small table in integers.",
        formats=("cube",),
        grids=(17, 33),
        interpolation="trilinear",
        precision=12,
        input_range="legal",
        input_depth=10,
        output_range="legal",
        output_depth=10,
    ),
    Receiver(
        name="Camera",
        note="A camera's own viewing table: full log code in, picture signal out.",
        formats=("cube",),
        grids=(33,),
        interpolation="trilinear",
        precision=12,
        input_range="full",
        input_depth=12,
        output_range="full",
        output_depth=10,
    ),
    Receiver(
        name="Grading or editing program",
        note="A program that works in floating point.",
        formats=("clf", "cube"),
        grids=(17, 33, 65),
        interpolation="tetrahedral",
        precision=0,
        input_range="full",
        input_depth=0,
        output_range="full",
        output_depth=0,
        most_entries=65536,
    ),
    Receiver(
        name="Player",
        note="A player that takes pictures as tables.",
        formats=("hald",),
        grids=(64,),
        interpolation="trilinear",
        precision=16,
        input_range="full",
        input_depth=8,
        output_range="full",
        output_depth=8,
    ),
)
"""Generic ones; their properties are common practice, no source."""


def plain_receiver(size: int, code_range: Range = "full", output_range: Range | None = None) -> Receiver:
    """No particular one: floating point throughout, any format, the grid that is asked for.

    Raises BadValue for one that cannot be.
    """
    if not SMALLEST <= size <= LARGEST:
        raise BadValue(f"A grid of {size} cannot be baked; choose {SMALLEST} to {LARGEST}.")
    return Receiver(
        name="Any program",
        note="Floating point, no limits of its own.",
        formats=tuple(FORMATS),
        grids=(size,),
        most_entries=65536,
        input_depth=0,
        output_depth=0,
        input_range=code_range,
        output_range=output_range or code_range,
    )
