"""The stages of a Path in order, and those that are no layer as values: Camera file, Input, Rendering, Display."""

from __future__ import annotations

from typing import Any, Literal, get_args

from pydantic import Field, ValidationInfo, field_validator

from upwelling.core.colour.primaries import Adaptation, Primaries, rgb_to_rgb
from upwelling.core.curves.hlg import Ootf
from upwelling.core.encodings import Encoding, Range, encoding
from upwelling.core.encodings.custom import CustomEncoding, MakerLut
from upwelling.core.encodings.video import HLG_DISPLAY, hlg_display
from upwelling.core.errors import UpwellingError
from upwelling.core.frozen import Frozen
from upwelling.core.lut.table import Domain, Lut1D, Lut3D
from upwelling.core.operations import ApplyLut, Matrix, Operation, decode_operations, legal_in, legal_out
from upwelling.core.outputs import CustomOutput, Output, output
from upwelling.core.path.correction import Correction
from upwelling.core.raw import RawSettings
from upwelling.core.rendering import AnyRendering, DisplayLook, Rise

StageName = Literal[
    "camera", "input", "camera_trim", "group_trim", "trim", "look", "group_look", "rendering", "finish", "display"
]
STAGES = get_args(StageName)
_FIRST: dict[str, StageName] = {"trim": "camera_trim"}
_LAST: dict[str, StageName] = {"look": "group_look"}


def stages_between(start: str, end: str) -> tuple[StageName, ...]:
    """The stages of a part of a path, from one of six strata to another: “trim” is all three trims, “look” both Looks,
    and the finish belongs to what comes out at the display.
    """
    return STAGES[STAGES.index(_FIRST.get(start, start)) : STAGES.index(_LAST.get(end, end)) + 1]


def stages_after(end: str) -> tuple[StageName, ...]:
    """The stages above one of six strata."""
    return STAGES[STAGES.index(_LAST.get(end, end)) + 1 :]


def _named(lookup: Any, name: str) -> str:
    try:
        return str(lookup(name).name)
    except UpwellingError as error:
        raise ValueError(str(error)) from None


class CameraFile(Frozen):
    """How the file holds its codes: range, and the bit depth that the legal range refers to.

    With ``raw`` the file is a mosaic: the stage takes camera RGB to working light, and the Input's encoding must be
    linear light in the working primaries.
    """

    range: Range = "full"
    depth: Literal[8, 10, 12, 16] = 10
    raw: RawSettings | None = None


class Input(Frozen):
    """The encoding that turns codes into working light, and what its camera is corrected by there. Off: codes are taken
    as working light unchanged.
    """

    custom: CustomEncoding | None = None
    encoding: str
    adaptation: Adaptation = "CAT02"
    on: bool = True
    hlg_peak_nits: float = Field(1000.0, ge=100, le=10000)
    hlg_black_nits: float = Field(0.0, ge=0, le=5)
    correction: Correction | None = None

    @field_validator("encoding")
    @classmethod
    def _known(cls, name: str, info: ValidationInfo) -> str:
        custom = info.data.get("custom")
        if custom is not None:
            if name != custom.name:
                raise ValueError(f"“{name}” is not the name of the encoding given with it (“{custom.name}”).")
            return name
        return _named(encoding, name)

    @property
    def source(self) -> Encoding:
        """The encoding in force: built in, for the HLG display that is named, or user-defined."""
        if self.custom is not None:
            return self.custom.encoding()
        if self.encoding == HLG_DISPLAY:
            return hlg_display(Ootf(self.hlg_peak_nits, self.hlg_black_nits))
        return encoding(self.encoding)

    def operations(self, working: Primaries) -> tuple[Operation, ...]:
        """From full-range signal to working light."""
        source = self.source
        table: tuple[Operation, ...] = ()
        if self.custom is not None and isinstance(self.custom.form, MakerLut):
            form = self.custom.form
            made = (Lut1D if form.dimensions == 1 else Lut3D)(form.table(), Domain(form.low, form.high))
            table = (
                *((legal_out(10),) if form.expects == "legal" else ()),
                ApplyLut(made),
                *((legal_in(10),) if form.gives_range == "legal" else ()),
            )
        corrected = self.correction.operations(working) if self.correction is not None else ()
        decoded = Matrix.of(rgb_to_rgb(source.primaries, working, self.adaptation))
        return (*table, *decode_operations(source), decoded, *corrected)


class RenderingStage(Frozen):
    """Tone map, gamut fit and, where there is one, a Look of the display over both. Off: primaries only, scene 1.0 at
    the display's peak, nothing fitted and no Look over it.

    With the Input off as well there are no working primaries to leave, and the value passes unchanged: with every stage
    off, the display shows the file's own numbers.
    """

    method: AnyRendering = Rise()
    look: DisplayLook | None = None
    on: bool = True


class Display(Frozen):
    """Display light to display code. Off: light over peak is passed as code unchanged."""

    custom: CustomOutput | None = None
    output: str
    range: Range = "full"
    depth: Literal[8, 10, 12, 16] = 10
    on: bool = True

    @field_validator("output")
    @classmethod
    def _known(cls, name: str, info: ValidationInfo) -> str:
        custom = info.data.get("custom")
        if custom is None:
            return _named(output, name)
        if name != custom.name:
            raise ValueError(f"“{name}” is not the name of the output given with it (“{custom.name}”).")
        return name

    @property
    def target(self) -> Output:
        """The output in force: built in, or user-defined."""
        return output(self.output) if self.custom is None else self.custom.output()
