"""Path: one shot's whole way from camera file to display code, and its recipe.

A Path is a frozen, validated value. ``segments`` gives its operations stage by stage; ``apply`` runs them in float64
(the exact path), ``trace`` gives one pixel at every boundary, ``fingerprint`` identifies the arithmetic.
"""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError, ValidationInfo, field_validator

from upwelling.core.arrays import Float64
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.curves.hlg import Ootf
from upwelling.core.declared_lut import legal_in, legal_out
from upwelling.core.encodings import Encoding, Range, encoding
from upwelling.core.encodings.custom import CustomEncoding, MakerLut
from upwelling.core.encodings.video import HLG_DISPLAY, hlg_display
from upwelling.core.errors import RecipeError, UpwellingError
from upwelling.core.lut.table import Domain, Lut1D, Lut3D
from upwelling.core.operations import (
    ApplyLut,
    Blend,
    Decode,
    Encode,
    Hold,
    Matrix,
    Operation,
    decode_operations,
    encode_operations,
    run_reference,
)
from upwelling.core.outputs import CustomOutput, Output, output
from upwelling.core.primaries import Adaptation, Primaries, primaries, rgb_to_rgb
from upwelling.core.raw import RawSettings
from upwelling.core.recipe_text import read_versioned
from upwelling.core.rendering import AnyRendering, Rise
from upwelling.core.steps import AnyStep

RECIPE_VERSION = 1
ARITHMETIC = 3
"""Raised whenever the same recipe would give other numbers; part of every fingerprint and recipe."""
CHANGES = {3: "the default rendering and the smooth gamut fit compute anew: no jumps, softer highlights, another dark end on HDR outputs"}
"""What came with each arithmetic."""
STAGES = ("camera", "input", "trim", "look", "rendering", "display")
StageName = Literal["camera", "input", "trim", "look", "rendering", "display"]


def known_name(lookup: Any) -> Any:
    """A pydantic validator that turns any spelling of a registry's name into its own, or refuses it with the reason."""
    return AfterValidator(lambda name: _named(lookup, name))


def _named(lookup: Any, name: str) -> str:
    try:
        return str(lookup(name).name)
    except UpwellingError as error:
        raise ValueError(str(error)) from None


class _Stage(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class CameraFile(_Stage):
    """How the file holds its codes: range, and the bit depth that the legal range refers to.

    With ``raw`` the file is a mosaic: the stage takes camera RGB to working light, and the Input's encoding must be linear
    light in the working primaries.
    """

    range: Range = "full"
    depth: Literal[8, 10, 12, 16] = 10
    raw: RawSettings | None = None


class Input(_Stage):
    """The encoding that turns codes into working light. Off: codes are taken as working light unchanged."""

    custom: CustomEncoding | None = None
    encoding: str
    adaptation: Adaptation = "CAT02"
    on: bool = True
    hlg_peak_nits: float = Field(1000.0, ge=100, le=10000)
    hlg_black_nits: float = Field(0.0, ge=0, le=5)

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
            table = (*((legal_out(10),) if form.expects == "legal" else ()), ApplyLut(made),
                     *((legal_in(10),) if form.gives_range == "legal" else ()))
        return (*table, *decode_operations(source), Matrix.of(rgb_to_rgb(source.primaries, working, self.adaptation)))


class Trim(_Stage):
    """The corrections of one shot."""

    steps: tuple[AnyStep, ...] = ()
    on: bool = True


class Look(_Stage):
    """A set of steps mixed in by ``strength`` in the working log space."""

    name: str = Field("", max_length=120)
    steps: tuple[AnyStep, ...] = ()
    strength: float = Field(1.0, ge=0, le=1)
    on: bool = True


class RenderingStage(_Stage):
    """Tone map and gamut fit. Off: primaries only, scene 1.0 at the display's peak, nothing fitted.

    With the Input off as well there are no working primaries to leave, and the value passes unchanged: with every stage
    off, the display shows the file's own numbers.
    """

    method: AnyRendering = Rise()
    on: bool = True


class Display(_Stage):
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


@dataclass(frozen=True)
class Boundary:
    """A value of the trace: after which stage, in which space and unit."""

    stage: StageName
    space: str
    unit: str
    rgb: tuple[float, float, float]


class Path(_Stage):
    """The whole signal path."""

    working: Literal["AP1", "BT.2020"] = "AP1"
    camera: CameraFile = CameraFile()
    input: Input
    trim: Trim = Trim()
    look: Look = Look()
    rendering: RenderingStage = RenderingStage()
    display: Display

    @property
    def working_primaries(self) -> Primaries:
        return primaries(self.working)

    @property
    def source(self) -> Encoding:
        return self.input.source

    @property
    def target(self) -> Output:
        return self.display.target

    @property
    def working_log(self) -> str:
        """The name of the working log space."""
        return "ACEScct" if self.working == "AP1" else f"ACEScct curve, {self.working}"

    def segments(self) -> dict[StageName, tuple[Operation, ...]]:
        """Operations by stage, in order. Raises BadValue when settings contradict each other."""
        working, target = self.working_primaries, self.target
        segments: dict[StageName, tuple[Operation, ...]] = {}
        if self.camera.raw is not None:
            segments["camera"] = self.camera.raw.operations(working, self.input.adaptation)
        else:
            segments["camera"] = (legal_in(self.camera.depth),) if self.camera.range == "legal" else ()
        segments["input"] = self.input.operations(working) if self.input.on else ()
        segments["trim"] = self._steps(self.trim)
        look = self._steps(self.look)
        if look and self.look.strength < 1:
            look = (Encode(ACESCCT), Hold(1), Decode(ACESCCT), *look, Encode(ACESCCT), Blend(self.look.strength, 1),
                    Decode(ACESCCT))
        segments["look"] = look
        if self.rendering.on:
            segments["rendering"] = self.rendering.method.operations(working, target, self.input.adaptation)
        elif self.input.on:
            segments["rendering"] = (Matrix.of(rgb_to_rgb(working, target.gamut, self.input.adaptation)),)
        else:
            segments["rendering"] = ()
        display: tuple[Operation, ...] = target.encode_operations() if self.display.on else ()
        if self.display.range == "legal":
            display += (legal_out(self.display.depth),)
        segments["display"] = display
        return segments

    def _steps(self, stage: Trim | Look) -> tuple[Operation, ...]:
        if not stage.on:
            return ()
        return tuple(op for step in stage.steps if self.takes(step) for op in step.operations(self.working_primaries))

    def takes(self, step: AnyStep) -> bool:
        """Whether a step is on and meant for this path's output."""
        return step.on and step.output in ("", self.display.output)

    def operations(self) -> tuple[Operation, ...]:
        """All operations from the file's code (0…1) to the display's code (0…1)."""
        return tuple(op for part in self.segments().values() for op in part)

    def until(self, stage: StageName, step_id: str = "") -> tuple[Operation, ...]:
        """Operations from the file's code to what enters a stage, or one step of the trim or look."""
        operations: list[Operation] = []
        for name, part in self.segments().items():
            if name == stage:
                break
            operations += part
        if step_id and stage in ("trim", "look"):
            holder = self.trim if stage == "trim" else self.look
            for step in holder.steps if holder.on else ():
                if step.id == step_id:
                    break
                operations += step.operations(self.working_primaries) if self.takes(step) else ()
        return tuple(operations)

    def apply(self, code: Any) -> Float64:
        """Display code (…, 3) of file code (…, 3), exact, in float64."""
        return run_reference(self.operations(), np.asarray(code, dtype=np.float64))

    def to_working(self, code: Any) -> Float64:
        """Scene-linear working light before the trim, of file code."""
        segments = self.segments()
        return run_reference((*segments["camera"], *segments["input"]), np.asarray(code, dtype=np.float64))

    def trace(self, code: Any) -> list[Boundary]:
        """One pixel's value at every boundary, from file code (3,) up."""
        value = np.asarray(code, dtype=np.float64)
        segments, target = self.segments(), self.target
        spaces: dict[StageName, tuple[str, str]] = {
            "camera": ("signal", "0…1, full range"),
            "input": (f"scene linear, {self.working}", "1.0 = diffuse white"),
            "trim": (f"scene linear, {self.working}", "1.0 = diffuse white"),
            "look": (f"scene linear, {self.working}", "1.0 = diffuse white"),
            "rendering": ("display light", "cd/m²"),
            "display": (target.name, f"{self.display.depth}-bit code, {self.display.range} range"),
        }
        boundaries = []
        for stage in STAGES:
            value = run_reference(segments[stage], value)  # type: ignore[index]
            shown = target.nits(value) if stage == "rendering" else value
            if stage == "display":
                top = 2**self.display.depth - 1
                shown = np.clip(np.round(value * top), 0, top)
            space, unit = spaces[stage]  # type: ignore[index]
            boundaries.append(Boundary(stage, space, unit, tuple(float(v) for v in shown)))  # type: ignore[arg-type]
        return boundaries

    @property
    def fingerprint(self) -> str:
        """SHA-256 over what acts in the recipe and the arithmetic's version; equal means equal numbers."""
        return self._digest(only_acting=True)

    def is_marked(self, fingerprint: str) -> bool:
        """Whether a fingerprint is this path's, also one from before what does not act was left out of it."""
        return fingerprint in (self.fingerprint, self._digest(only_acting=False))

    def _digest(self, *, only_acting: bool) -> str:
        body = self.model_dump(mode="json")
        body["look"].pop("name")
        if only_acting:
            for stage, name in ((self.trim, "trim"), (self.look, "look")):
                acts = stage.on and getattr(stage, "strength", 1.0) > 0
                steps = [dumped for step, dumped in zip(stage.steps, body[name]["steps"], strict=True)
                         if acts and step.on and step.strength > 0 and not step.changes_nothing]
                body[name]["steps"] = steps
                if not any(step["output"] in ("", self.display.output) for step in steps):
                    body[name] = {**body[name], "on": True, **({"strength": 1.0} if name == "look" else {})}
            if not self.rendering.on:
                body["rendering"].pop("method")
        for stage in (body["trim"], body["look"]):
            stage["steps"] = [step for step in stage["steps"] if step["output"] in ("", self.display.output)]
            for step in stage["steps"]:
                for label in ("id", "name", "note", "output"):
                    step.pop(label)
                for field, rest in (("strength", 1.0), ("limit", None)):
                    if step[field] == rest:  # a step that uses neither keeps the fingerprint it had before there were any
                        step.pop(field)
        text = json.dumps({"arithmetic": ARITHMETIC, **without_tables(body)}, sort_keys=True, separators=(",", ":"))
        return hashlib.sha256(text.encode()).hexdigest()

    def to_recipe(self) -> str:
        """The path as versioned JSON, indented, ending in a line feed."""
        return json.dumps({"upwelling_recipe": RECIPE_VERSION, "arithmetic": ARITHMETIC, **self.model_dump(mode="json")}, indent=2) + "\n"

    @classmethod
    def from_recipe(cls, text: str | bytes) -> Path:
        """Reads a recipe, of any arithmetic; raises RecipeError that names the place and what is wrong."""
        body = read_versioned(text, "upwelling_recipe", "a recipe", RECIPE_VERSION)
        body.pop("arithmetic", None)
        return cls.checked(body)

    @classmethod
    def checked(cls, body: Any) -> Path:
        """A Path from plain data; raises RecipeError instead of the validator's own error, or BadValue."""
        try:
            path = cls.model_validate(body)
        except ValidationError as error:
            first = error.errors()[0]
            location = ".".join(str(part) for part in first["loc"])
            message = first["msg"].removeprefix("Value error, ")
            raise RecipeError(message if message.endswith(".") else message + ".", location) from None
        path.segments()
        return path


def recipe_arithmetic(text: str | bytes) -> int:
    """The arithmetic a recipe was written under; those from before it was written down count as 2. Raises RecipeError."""
    found = read_versioned(text, "upwelling_recipe", "a recipe", RECIPE_VERSION).get("arithmetic", 2)
    if not isinstance(found, int) or not 1 <= found <= ARITHMETIC:
        raise RecipeError(f"arithmetic {found!r} is not known here; this program computes as of {ARITHMETIC}. Update the program.")
    return found


def changed_since(arithmetic: int) -> str:
    """What makes the numbers of settings from an earlier arithmetic others now, as part of a sentence; empty where nothing does."""
    return "; ".join(words for since, words in CHANGES.items() if since > arithmetic)


def without_tables(body: Any) -> Any:
    """Plain data in which each carried table is only its digest, which says all: for fingerprints."""
    if isinstance(body, dict):
        if "digest" in body and "file_sha256" in body:
            return body["digest"]
        return {key: without_tables(value) for key, value in body.items()}
    return [without_tables(value) for value in body] if isinstance(body, list) else body


def convert_operations(source: Encoding, target: Encoding, adaptation: Adaptation, *,
                       source_range: Range = "full", target_range: Range = "full",
                       source_depth: int = 10, target_depth: int = 10) -> tuple[Operation, ...]:
    """The colourimetric conversion between two encodings: no tone map, no gamut fit, nothing clipped."""
    first = (legal_in(source_depth),) if source_range == "legal" else ()
    last = (legal_out(target_depth),) if target_range == "legal" else ()
    return (
        *first,
        *decode_operations(source),
        Matrix.of(rgb_to_rgb(source.primaries, target.primaries, adaptation)),
        *encode_operations(target),
        *last,
    )
