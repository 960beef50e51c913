"""Path: one shot's whole way from camera file to display code, and its recipe.

A Path is a frozen, validated value. ``segments`` gives its operations stage by stage; ``apply`` runs them in float64
(the exact path), ``trace`` gives one pixel at every boundary, ``fingerprint`` identifies the arithmetic.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from functools import cached_property
from typing import Any, Literal

import numpy as np
from pydantic import ValidationError

from upwelling.core.arrays import Float64
from upwelling.core.colour.primaries import Primaries, primaries, rgb_to_rgb
from upwelling.core.documents import read_versioned
from upwelling.core.encodings import Encoding
from upwelling.core.errors import RecipeError
from upwelling.core.frozen import Frozen
from upwelling.core.operations import (
    Matrix,
    Mixed,
    Needs,
    Operation,
    Place,
    legal_in,
    legal_out,
    mixed_in_log,
    needs_of,
    reach_of,
    run_reference,
)
from upwelling.core.operations.time_mean import Frames, TimeMean
from upwelling.core.outputs import Output
from upwelling.core.parameters import dotted, spoken
from upwelling.core.path.fingerprint import fingerprint_of
from upwelling.core.path.recipe import ARITHMETIC, RECIPE_VERSION
from upwelling.core.path.stages import CameraFile, Display, Input, Look, RenderingStage, StageName, Trim
from upwelling.core.steps import AnyStep
from upwelling.core.steps.group import runs_of


class Path(Frozen):
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

    @property
    def moves(self) -> bool:
        """Whether a value changes along the shot: its numbers are then those of one frame, ``at`` it."""
        return any(
            step.moves for stage in (self.trim, self.look) if stage.on for step in stage.steps if self.takes(step)
        )

    def at(self, frame: float) -> Path:
        """The path as it stands at a frame of the file, with constants alone."""
        if not any(step.moves for step in (*self.trim.steps, *self.look.steps)):
            return self
        return self.with_steps(lambda step: step.at(frame))

    def fed(self, around: Frames) -> Path:
        """The path with the frames around the one it stands at, for steps that average over them."""
        wanted = any(step.looks_around for step in (*self.trim.steps, *self.look.steps))
        return self.with_steps(lambda step: step.fed(around)) if wanted else self

    def with_steps(self, change: Callable[[AnyStep], AnyStep | None]) -> Path:
        """The path with each step of trim and look changed, or left out where None comes back."""
        trim, look = (
            stage.model_copy(update={"steps": tuple(s for s in map(change, stage.steps) if s is not None)})
            for stage in (self.trim, self.look)
        )
        return self.model_copy(update={"trim": trim, "look": look})

    @property
    def needs(self) -> Needs:
        """What its steps need beside a pixel's own value."""
        return needs_of(self.at(0).operations())

    def reach(self, pixel: float) -> int:
        """How many pixels, each ``pixel`` frame heights in size, it looks to either side."""
        return reach_of(self.at(0).operations(), pixel)

    def carried(self) -> Path:
        """The path without the steps that need more than a pixel's own value:
        what can be asked about a colour alone.
        """
        working = self.working_primaries
        return self.with_steps(lambda step: None if self.takes(step) and step.needs(working) else step)

    def segments(self) -> dict[StageName, tuple[Operation, ...]]:
        """Operations by stage, in order. Raises BadValue when settings contradict each other."""
        return dict(self._segments)

    @cached_property
    def _segments(self) -> dict[StageName, tuple[Operation, ...]]:
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
            look = mixed_in_log(look, self.look.strength)
        segments["look"] = look
        if self.rendering.on:
            rendered = self.rendering.method.operations(working, target, self.input.adaptation)
            over = self.rendering.look
            segments["rendering"] = (*rendered, *(over.operations(target, self.input.adaptation) if over else ()))
        elif self.input.on:
            segments["rendering"] = (Matrix.of(rgb_to_rgb(working, target.gamut, self.input.adaptation)),)
        else:
            segments["rendering"] = ()
        display: tuple[Operation, ...] = target.encode_operations() if self.display.on else ()
        if self.display.range == "legal":
            display += (legal_out(self.display.depth),)
        segments["display"] = display
        before: tuple[Operation, ...] = ()
        for name, part in segments.items():
            segments[name] = _led_up_to(part, before)
            before += segments[name]
        return segments

    def _steps(self, stage: Trim | Look) -> tuple[Operation, ...]:
        if not stage.on:
            return ()
        operations: list[Operation] = []
        for group, steps in runs_of(stage.steps, stage.groups if isinstance(stage, Trim) else ()):
            made = tuple(op for s in steps if self.takes(s) for op in s.operations(self.working_primaries))
            operations += made if group is None or group.strength == 1 else mixed_in_log(made, group.strength)
        return tuple(operations)

    def is_on(self, step: AnyStep) -> bool:
        """Whether a step and its group are switched on."""
        return step.on and (not step.group or all(group.acts for group in self.trim.groups if group.id == step.group))

    def takes(self, step: AnyStep) -> bool:
        """Whether a step is on and meant for this path's output."""
        return self.is_on(step) and step.output in ("", self.display.output)

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
                made = step.operations(self.working_primaries) if self.takes(step) else ()
                operations += _led_up_to(made, tuple(operations))
        return tuple(operations)

    def apply(self, code: Any, place: Place | None = None) -> Float64:
        """Display code (…, 3) of file code (…, 3), or of a picture (H, W, 3) that lies at ``place``; exact,
        in float64.
        """
        return run_reference(self.operations(), np.asarray(code, dtype=np.float64), place)

    def to_working(self, code: Any) -> Float64:
        """Scene-linear working light before the trim, of file code."""
        segments = self.segments()
        return run_reference((*segments["camera"], *segments["input"]), np.asarray(code, dtype=np.float64))

    @property
    def fingerprint(self) -> str:
        """SHA-256 over what acts in the recipe and the arithmetic's version; equal means equal numbers."""
        return fingerprint_of(self)

    def is_marked(self, fingerprint: str) -> bool:
        """Whether a fingerprint is this path's, also one from before what does not act was left out of it."""
        return fingerprint in (self.fingerprint, fingerprint_of(self, only_acting=False))

    def to_recipe(self) -> str:
        """The path as versioned JSON, indented, ending in a line feed."""
        return (
            json.dumps(
                {"upwelling_recipe": RECIPE_VERSION, "arithmetic": ARITHMETIC, **self.model_dump(mode="json")}, indent=2
            )
            + "\n"
        )

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
            raise RecipeError(spoken(error), dotted(error)) from None
        path.at(0).segments()
        return path


def _led_up_to(operations: tuple[Operation, ...], before: tuple[Operation, ...]) -> tuple[Operation, ...]:
    """Operations that average over frames, told what leads up to them from the file's code on."""
    made: list[Operation] = []
    for operation in operations:
        if isinstance(operation, TimeMean):
            operation = replace(operation, before=(*before, *made))
        elif isinstance(operation, Mixed) and "frames" in operation.needs:
            led = (*before, *made, *operation.led_to)
            operation = replace(operation, inside=_led_up_to(operation.inside, led))
        made.append(operation)
    return tuple(made)
