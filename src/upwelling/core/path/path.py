"""Path: one shot's whole way from camera file to display code, and its recipe.

A Path is a frozen, validated value. ``segments`` gives its operations stage by stage; ``apply`` runs them in float64
(the exact path), ``trace`` gives one pixel at every boundary, ``fingerprint`` identifies the arithmetic.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Collection, Iterator
from dataclasses import replace
from functools import cached_property
from typing import Any, Literal

import numpy as np
from pydantic import ValidationError, field_validator, model_validator

from upwelling.core.arrays import Float64
from upwelling.core.colour.primaries import Primaries, primaries, rgb_to_rgb
from upwelling.core.documents import read_versioned
from upwelling.core.encodings import Encoding
from upwelling.core.errors import RecipeError
from upwelling.core.frozen import Frozen
from upwelling.core.operations import (
    Affine,
    Matrix,
    Mixed,
    Needs,
    Operation,
    Place,
    legal_in,
    legal_out,
    needs_of,
    reach_of,
    run_reference,
)
from upwelling.core.operations.time_mean import Frames, TimeMean
from upwelling.core.outputs import Output
from upwelling.core.parameters import dotted, spoken
from upwelling.core.path.fingerprint import fingerprint_of
from upwelling.core.path.layers import (
    LAYERS,
    SCENE_LAYERS,
    Layer,
    LayerKind,
    by_their_names,
    in_order,
    over_white,
    place_by_name,
)
from upwelling.core.path.recipe import ARITHMETIC, RECIPE_VERSION
from upwelling.core.path.stages import CameraFile, Display, Input, RenderingStage, StageName
from upwelling.core.steps import AnyStep


class Path(Frozen):
    """The whole signal path. A layer may be given by the name of its kind: ``Path(trim=Layer(steps=…), …)``."""

    working: Literal["AP1", "BT.2020"] = "AP1"
    camera: CameraFile = CameraFile()
    input: Input
    layers: tuple[Layer, ...] = ()
    rendering: RenderingStage = RenderingStage()
    display: Display

    _named = model_validator(mode="before")(by_their_names)
    _ordered = field_validator("layers")(in_order)

    def layer(self, kind: LayerKind) -> Layer:
        """The layer of a kind; an empty one where the path has none."""
        return next((layer for layer in self.layers if layer.kind == kind), None) or Layer(kind=kind)

    def with_layers(self, **layers: Layer) -> Path:
        """The path with some layers, each by the name of its kind, in the place of those that it has."""
        kept = [layer for layer in self.layers if layer.kind not in layers]
        given = by_their_names(layers)["layers"] if layers else ()
        return self.model_copy(update={"layers": in_order((*kept, *given))})

    def without_layers(self, *kinds: LayerKind) -> Path:
        """The path without layers of some kinds."""
        kept = tuple(layer for layer in self.layers if layer.kind not in kinds)
        return self.model_copy(update={"layers": kept})

    def steps(self, kinds: Collection[str] = LAYERS) -> Iterator[tuple[Layer, AnyStep]]:
        """Every step of its layers, or of those of some kinds, with the layer that it is in."""
        return ((layer, step) for layer in self.layers if layer.kind in kinds for step in layer.steps)

    def acting(self, kinds: Collection[str] = LAYERS) -> Iterator[tuple[Layer, AnyStep]]:
        """Those that change something for its output."""
        return ((layer, step) for layer in self.layers if layer.kind in kinds for step in layer.acting(self.target))

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
        steps = any(step.moves for layer in self.layers if layer.on for step in layer.taken(self.target))
        return steps or self._development_moves

    def at(self, frame: float) -> Path:
        """The path as it stands at a frame of the file, with constants alone."""
        still = self
        if self.camera.raw is not None and self._development_moves:
            developed = self.camera.model_copy(update={"raw": self.camera.raw.at(frame)})
            still = self.model_copy(update={"camera": developed})
        if not any(step.moves for _, step in self.steps()):
            return still
        return still.with_steps(lambda _, step: step.at(frame))

    @property
    def _development_moves(self) -> bool:
        return self.camera.raw is not None and self.camera.raw.moves

    @property
    def looks_around(self) -> bool:
        """Whether a step has use for the frames around the present one."""
        return any(step.looks_around for _, step in self.steps())

    def fed(self, around: Frames) -> Path:
        """The path with the frames around the one it stands at, for steps that average over them."""
        return self.with_steps(lambda _, step: step.fed(around)) if self.looks_around else self

    def with_steps(self, change: Callable[[Layer, AnyStep], AnyStep | None]) -> Path:
        """The path with each step of its layers changed, or left out where None comes back."""
        made = (
            layer.with_steps(new for step in layer.steps if (new := change(layer, step)) is not None)
            for layer in self.layers
        )
        return self.model_copy(update={"layers": tuple(made)})

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
        working, target = self.working_primaries, self.target
        return self.with_steps(lambda layer, s: None if layer.takes(s, target) and s.needs(working) else s)

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
        for kind in SCENE_LAYERS:
            segments[kind] = self.layer(kind).operations(working, target)
        if self.rendering.on:
            rendered = self.rendering.method.operations(working, target, self.input.adaptation)
            over = self.rendering.look
            segments["rendering"] = (*rendered, *(over.operations(target, self.input.adaptation) if over else ()))
        elif self.input.on:
            segments["rendering"] = (Matrix.of(rgb_to_rgb(working, target.gamut, self.input.adaptation)),)
        else:
            segments["rendering"] = ()
        segments["finish"] = self.layer("finish").operations(working, target)
        display: tuple[Operation, ...] = target.encode_operations() if self.display.on else ()
        if self.display.range == "legal":
            display += (legal_out(self.display.depth),)
        segments["display"] = display
        before: tuple[Operation, ...] = ()
        for name, part in segments.items():
            segments[name] = _led_up_to(part, before)
            before += segments[name]
        return segments

    def operations(self) -> tuple[Operation, ...]:
        """All operations from the file's code (0…1) to the display's code (0…1)."""
        return tuple(op for part in self.segments().values() for op in part)

    def until(self, stage: StageName, step_id: str = "") -> tuple[Operation, ...]:
        """Operations from the file's code to what enters a stage, or one step of a layer: in a finish, light over the
        output's white, as its steps take it.
        """
        operations: list[Operation] = []
        for name, part in self.segments().items():
            if name == stage:
                break
            operations += part
        if step_id and stage in LAYERS:
            layer = self.layer(stage)
            before = layer.model_copy(update={"strength": 1.0, "groups": (), "steps": _ungrouped(layer, step_id)})
            made = before.operations(self.working_primaries, self.target)
            operations += _led_up_to(made, tuple(operations))
            if layer.kind == "finish" and over_white(self.target) != 1:
                operations.append(Affine(over_white(self.target)))
        return tuple(operations)

    def apply(self, code: Any, place: Place | None = None) -> Float64:
        """Display code (…, 3) of file code (…, 3), or of a picture (H, W, 3) that lies at ``place``; exact,
        in float64.
        """
        return run_reference(self.operations(), np.asarray(code, dtype=np.float64), place)

    def to_working(self, code: Any) -> Float64:
        """Scene-linear working light before every layer, of file code."""
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
            raise RecipeError(spoken(error), place_by_name(dotted(error), body)) from None
        path.at(0).segments()
        return path


def _ungrouped(layer: Layer, before: str) -> tuple[AnyStep, ...]:
    """The steps of a layer that act before one of them, each by itself; all where there is none of that id."""
    ids = [step.id for step in layer.steps]
    end = ids.index(before) if before in ids else len(ids)
    return tuple(s.model_copy(update={"group": ""}) for s in layer.steps[:end] if layer.has_on(s))


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
