"""What a shared layer holds, and how one shot takes it: as plain values that are stored."""

from __future__ import annotations

from typing import Annotated, Any, Self

from pydantic import Field, ValidationError, model_validator

from upwelling.core.errors import BadValue
from upwelling.core.frozen import Frozen
from upwelling.core.parameters import refusal
from upwelling.core.path import Layer, LayerKind
from upwelling.core.steps import AnyStep, LutStep
from upwelling.core.steps.group import MOST_GROUPS, StepGroup, check_groups

MOST_STEPS = 24


class LayerContent(Frozen):
    """Steps that many shots follow, with a strength and a switch. They stand still, as frames of different shots have
    nothing to do with each other; each has an id of its own.
    """

    steps: Annotated[tuple[AnyStep, ...], Field(max_length=MOST_STEPS)] = ()
    groups: Annotated[tuple[StepGroup, ...], Field(max_length=MOST_GROUPS)] = ()
    strength: float = Field(1.0, ge=0, le=1)
    on: bool = True

    @model_validator(mode="after")
    def _can_be_shared(self) -> Self:
        ids = [step.id for step in self.steps]
        if "" in ids or len(set(ids)) < len(ids):
            raise ValueError("Each step of a layer needs an id of its own")
        for step in self.steps:
            if isinstance(step, LutStep):
                raise ValueError(f"{step.shown_name}: a LUT belongs in a Look, not in a layer of steps")
            if step.moves:
                raise ValueError(
                    f"{step.shown_name} changes along the shot, and a layer is the same for every shot that follows it"
                )
        check_groups(self.steps, self.groups)
        return self

    @property
    def acts(self) -> bool:
        """Whether anything of it is seen."""
        return self.on and self.strength > 0 and any(step.on and not step.changes_nothing for step in self.steps)

    def summary(self) -> str:
        """Its steps in a few words each; empty where none acts."""
        text = " · ".join(step.summary() for step in self.steps if step.on and not step.changes_nothing)
        return text if not text or self.strength == 1 else f"{text}, at {self.strength * 100:.0f} %"

    def layer(self, kind: LayerKind, whose: str, output: str = "") -> Layer:
        """As a layer of a path; raises BadValue for a step that cannot work there."""
        body = {"kind": kind, "whose": whose[:120], "output": output}
        held = {"steps": self.steps, "groups": self.groups, "strength": self.strength, "on": self.on}
        return Layer.checked(body | held)


class LayerUse(Frozen):
    """How one shot takes a layer that it shares: switched off, at a strength of its own (None: the layer's), or as a
    copy of its own, which no longer follows.
    """

    on: bool = True
    strength: float | None = Field(None, ge=0, le=1)
    own: LayerContent | None = None

    @property
    def is_exception(self) -> bool:
        """Whether the shot takes it otherwise than as it is."""
        return not self.on or self.strength is not None or self.own is not None

    def of(self, shared: LayerContent) -> LayerContent:
        """The layer as this shot takes it."""
        taken = shared if self.own is None else self.own
        strength = taken.strength if self.strength is None else self.strength
        return taken.model_copy(update={"strength": strength, "on": taken.on and self.on})

    def sentence(self) -> str:
        """The exception in words; empty where there is none."""
        if not self.on:
            return "left out here"
        parts = ["a copy of its own"] if self.own is not None else []
        parts += [f"at {100 * self.strength:.0f} % here"] if self.strength is not None else []
        return ", ".join(parts)


def read_content(body: Any) -> LayerContent:
    """A layer's content from plain data; raises BadValue with the place and the reason."""
    try:
        return LayerContent.model_validate(body)
    except ValidationError as error:
        raise BadValue(f"{refusal(error, leave_out=('steps',))} The layer keeps what it has.") from None
