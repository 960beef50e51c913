"""Layers: named lists of steps, each with a strength and a switch, in the order in which light meets them.

Those of the scene act on scene-linear working light, the finish on display light.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Iterator
from typing import Any, Literal, Self, get_args

from pydantic import Field, model_validator

from upwelling.core.colour.primaries import Primaries
from upwelling.core.frozen import Frozen
from upwelling.core.operations import Affine, Operation, mixed_in_log
from upwelling.core.outputs import Output
from upwelling.core.steps import AnyStep
from upwelling.core.steps.group import MOST_GROUPS, StepGroup, check_groups, runs_of

SceneLayer = Literal["camera_trim", "group_trim", "trim", "look", "group_look"]
LayerKind = Literal["camera_trim", "group_trim", "trim", "look", "group_look", "finish"]
SCENE_LAYERS: tuple[SceneLayer, ...] = get_args(SceneLayer)
LAYERS: tuple[LayerKind, ...] = get_args(LayerKind)
LAYER_TITLES: dict[LayerKind, str] = {
    "camera_trim": "Camera’s trim",
    "group_trim": "Group’s trim",
    "trim": "Trim",
    "look": "Look",
    "group_look": "Group’s Look",
    "finish": "Finish",
}
OUTPUT_KINDS = ("SDR", "HDR")
"""What a finish may be for beside one output by its name, and beside every output (empty)."""


class Layer(Frozen):
    """Steps that act together: ``strength`` mixes what they do into what came before them, in the log of the light
    they work in. Name, and whose it is, are for people and change no number. ``output``: the kind of output, or the
    one output, that it acts for; empty: every one.
    """

    kind: LayerKind = "trim"
    name: str = Field("", max_length=120)
    whose: str = Field("", max_length=120)
    steps: tuple[AnyStep, ...] = ()
    groups: tuple[StepGroup, ...] = Field((), max_length=MOST_GROUPS)
    strength: float = Field(1.0, ge=0, le=1)
    on: bool = True
    output: str = Field("", max_length=60)

    @model_validator(mode="after")
    def _can_be(self) -> Self:
        check_groups(self.steps, self.groups)
        if self.light == "display":
            for step in self.steps:
                if "display" not in step.lights:
                    raise ValueError(f"{step.shown_name} works on scene light only, and the finish is on display light")
        return self

    @property
    def light(self) -> Literal["scene", "display"]:
        """Which light its steps work on."""
        return "display" if self.kind == "finish" else "scene"

    @property
    def acts(self) -> bool:
        """Whether anything of it is seen."""
        return self.on and self.strength > 0

    def is_for(self, target: Output) -> bool:
        """Whether it acts for an output."""
        return self.output in ("", target.name, "HDR" if target.is_hdr else "SDR")

    def has_on(self, step: AnyStep) -> bool:
        """Whether a step of it and the step's group are switched on."""
        return step.on and (not step.group or all(group.acts for group in self.groups if group.id == step.group))

    def taken(self, target: Output) -> Iterator[AnyStep]:
        """Its steps that are on and meant for an output."""
        return (step for step in self.steps if self.takes(step, target))

    def takes(self, step: AnyStep, target: Output) -> bool:
        """Whether a step of it is on and meant for an output."""
        return self.is_for(target) and self.has_on(step) and step.output in ("", target.name)

    def acting(self, target: Output) -> tuple[AnyStep, ...]:
        """Its steps that change something for an output."""
        return tuple(s for s in self.taken(target) if not s.changes_nothing and s.strength > 0) if self.acts else ()

    def operations(self, working: Primaries, target: Output) -> tuple[Operation, ...]:
        """From light to the same light: scene-linear in ``working``, or over the peak in the output's primaries."""
        if not self.acts:
            return ()
        primaries, scale = (working, 1.0) if self.light == "scene" else (target.gamut, over_white(target))
        operations: list[Operation] = []
        for group, steps in runs_of(self.steps, self.groups):
            made = tuple(op for s in steps if self.takes(s, target) for op in s.operations(primaries))
            operations += made if group is None or group.strength == 1 else mixed_in_log(made, group.strength)
        made = tuple(operations) if self.strength == 1 else mixed_in_log(tuple(operations), self.strength)
        return (Affine(scale), *made, Affine(1 / scale)) if made and scale != 1 else made

    def steps_before(self, step: str) -> tuple[AnyStep, ...]:
        """What acts in it before the step of this id."""
        names = [one.id for one in self.steps]
        before = self.steps[: names.index(step)] if step in names else ()
        return tuple(one for one in before if one.on and not one.changes_nothing)

    def name_of(self, step: AnyStep) -> str:
        """What tells a step from every other of a path. Those of the shot's trim and the first Look go by their ids
        alone, as they did when there were no other layers.
        """
        return step.id if self.kind in ("trim", "look") or not step.id else f"{self.kind}/{step.id}"

    def sentence(self) -> str:
        """Which layer it is, and how much of it, for lists of what acts."""
        name = f"{LAYER_TITLES[self.kind].lower()}{f' “{self.name}”' if self.name else ''}"
        whole = self.strength == 1 and self.kind not in ("look", "group_look")
        return name if whole else f"{name} at {self.strength * 100:.0f} %"

    def with_steps(self, steps: Iterable[AnyStep]) -> Layer:
        """The layer with other steps."""
        return self.model_copy(update={"steps": tuple(steps)})


def over_white(target: Output) -> float:
    """What light over an output's peak is multiplied by for a finish: 1.0 is then the peak of an SDR display, and the
    reference white of an HDR one, 203 cd/m² where it is built in (ITU-R BT.2408-7, 2.1).
    """
    return target.peak_nits / target.white_nits if target.is_hdr else 1.0


def in_order(layers: Iterable[Layer]) -> tuple[Layer, ...]:
    """Layers as light meets them; raises ValueError where two are of one kind."""
    found = sorted(layers, key=lambda layer: LAYERS.index(layer.kind))
    for before, after in itertools.pairwise(found):
        if before.kind == after.kind:
            raise ValueError(f"a path has one layer of each kind, and “{LAYER_TITLES[after.kind]}” is there twice")
    return tuple(found)


def by_their_names(body: Any) -> Any:
    """A path's plain data with layers that are given by the names of their kinds, as recipes up to version 4 give
    ``trim`` and ``look``, put in their row.
    """
    named = [kind for kind in LAYERS if kind in body] if isinstance(body, dict) else []
    if not named:
        return body
    given = [_of_kind(body[kind], kind) for kind in named]
    rest = {name: value for name, value in body.items() if name not in named}
    return {**rest, "layers": (*rest.get("layers", ()), *given)}


def place_by_name(place: str, body: Any) -> str:
    """A place in a path's plain data (“layers.2.steps.0”) with its layer by the name of its kind (“trim.steps.0”)."""
    head, _, rest = place.partition(".")
    number, _, within = rest.partition(".")
    if head != "layers" or not number.isdecimal():
        return place
    layer = by_their_names(body)["layers"][int(number)]
    kind = layer.get("kind", "trim") if isinstance(layer, dict) else getattr(layer, "kind", "")
    return ".".join(filter(None, (str(kind), within)))


def _of_kind(layer: Any, kind: LayerKind) -> Any:
    if isinstance(layer, Layer):
        return layer.model_copy(update={"kind": kind})
    return {**layer, "kind": kind} if isinstance(layer, dict) else layer
