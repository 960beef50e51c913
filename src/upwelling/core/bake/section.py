"""Which part of the Column a table carries, and what light is coded as where that part begins or ends between camera
and display.
"""

from __future__ import annotations

from typing import Literal, Self, get_args

from pydantic import Field, field_validator, model_validator

from upwelling.core.colour.primaries import rgb_to_rgb
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.encodings import Range, encoding
from upwelling.core.errors import BadValue, UpwellingError
from upwelling.core.frozen import Frozen
from upwelling.core.operations import (
    Decode,
    Encode,
    Matrix,
    Operation,
    decode_operations,
    encode_operations,
    legal_in,
    legal_out,
)
from upwelling.core.path import STAGES, Path, StageName, stages_after, stages_between

Start = Literal["camera", "input", "trim", "look", "rendering"]
End = Literal["input", "trim", "look", "display"]
STARTS, ENDS = get_args(Start), get_args(End)
START_TITLES = {
    "camera": "camera code",
    "input": "developed light",
    "trim": "working light",
    "look": "after the trim",
    "rendering": "after the look",
}
END_TITLES = {"input": "working light", "trim": "after the trim", "look": "after the look", "display": "display code"}


class Section(Frozen):
    """From before the stage ``start`` to after the stage ``end``. Before the Input there is light in a raw mosaic's
    path alone, developed and not yet corrected for its camera.

    Between stages light is scene-linear and no table can hold it well: there it is coded by ``carrier``, an encoding's
    name, or empty for the working log (ACEScct's curve on the working primaries). Codes of the carrier outside 0…1 are
    beyond the table.
    """

    start: Start = "camera"
    end: End = "display"
    carrier: str = Field("", max_length=80)

    @field_validator("carrier")
    @classmethod
    def _known(cls, name: str) -> str:
        try:
            return encoding(name).name if name else ""
        except UpwellingError as error:
            raise ValueError(str(error)) from None

    @model_validator(mode="after")
    def _upwards(self) -> Self:
        if STAGES.index(self.end) < STAGES.index(self.start):
            raise ValueError(
                f"the section would end ({END_TITLES[self.end]}) before it begins ({START_TITLES[self.start]})"
            )
        return self

    @property
    def stages(self) -> tuple[StageName, ...]:
        return stages_between(self.start, self.end)

    @property
    def from_camera(self) -> bool:
        return self.start == "camera"

    @property
    def to_display(self) -> bool:
        return self.end == "display"

    def title(self) -> str:
        return f"{START_TITLES[self.start]} to {END_TITLES[self.end]}"

    def carrier_name(self, path: Path) -> str:
        return self.carrier or path.working_log

    def input_name(self, path: Path) -> str:
        """What the table's input is, in words."""
        return path.input.encoding if self.from_camera else self.carrier_name(path)

    def output_name(self, path: Path) -> str:
        """What the table's output is, in words."""
        return path.display.output if self.to_display else self.carrier_name(path)

    def to_carrier(self, path: Path) -> tuple[Operation, ...]:
        """From working light to carrier code, full range."""
        if not self.carrier:
            return (Encode(ACESCCT),)
        held = encoding(self.carrier)
        return (
            Matrix.of(rgb_to_rgb(path.working_primaries, held.primaries, path.input.adaptation)),
            *encode_operations(held),
        )

    def from_carrier(self, path: Path) -> tuple[Operation, ...]:
        """From carrier code, full range, to working light."""
        if not self.carrier:
            return (Decode(ACESCCT),)
        held = encoding(self.carrier)
        return (
            *decode_operations(held),
            Matrix.of(rgb_to_rgb(held.primaries, path.working_primaries, path.input.adaptation)),
        )

    def prepared(
        self, path: Path, input_range: Range, input_depth: int, output_range: Range, output_depth: int
    ) -> Path:
        """The path with the ranges of a receiver at its ends; raises BadValue for a raw mosaic's code."""
        if self.from_camera and path.camera.raw is not None:
            raise BadValue(
                "No table can carry the development of a raw mosaic. Begin above the Input, in working light."
            )
        if self.start == "input" and path.camera.raw is None:
            raise BadValue(
                "Only a raw mosaic is light before its Input. Begin at the camera's code, or above the Input."
            )
        camera = (
            path.camera.model_copy(update={"range": input_range, "depth": input_depth or 10})
            if self.from_camera
            else path.camera
        )
        display = (
            path.display.model_copy(update={"range": output_range, "depth": output_depth or 10})
            if self.to_display
            else path.display
        )
        return path.model_copy(update={"camera": camera, "display": display})

    def operations(
        self,
        path: Path,
        input_range: Range = "full",
        input_depth: int = 16,
        output_range: Range = "full",
        output_depth: int = 16,
    ) -> tuple[Operation, ...]:
        """The exact function that the table stands for, from its input code to its output code, both as the receiver's
        range has them.
        """
        fitted = self.prepared(path, input_range, input_depth, output_range, output_depth)
        segments = fitted.segments()
        head: tuple[Operation, ...] = ()
        if not self.from_camera:
            head = (*((legal_in(input_depth or 10),) if input_range == "legal" else ()), *self.from_carrier(path))
        tail: tuple[Operation, ...] = ()
        if not self.to_display:
            tail = (*self.to_carrier(path), *((legal_out(output_depth or 10),) if output_range == "legal" else ()))
        return (*head, *(op for stage in self.stages for op in segments[stage]), *tail)

    def before(self, path: Path) -> tuple[Operation, ...]:
        """From the file's own code to the table's input, full range."""
        if self.from_camera:
            return path.segments()["camera"]
        return (*path.until(self.stages[0]), *self.to_carrier(path))

    def after(self, path: Path, output_range: Range, output_depth: int) -> tuple[Operation, ...]:
        """From the table's output code to the display's full-range code: what is still to come, exact."""
        back = (legal_in(output_depth or 10),) if output_range == "legal" else ()
        if self.to_display:
            return back
        full = path.model_copy(update={"display": path.display.model_copy(update={"range": "full"})})
        segments = full.segments()
        return (*back, *self.from_carrier(path), *(op for stage in stages_after(self.end) for op in segments[stage]))
