"""ShotSettings: what one shot says for itself, over the production's rules."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, Literal, Self

from pydantic import Field, ValidationError, model_validator

from upwelling.core.documents import opened
from upwelling.core.errors import BadValue, RecipeError
from upwelling.core.frozen import Frozen
from upwelling.core.parameters import refusal
from upwelling.core.raw import Development
from upwelling.core.rendering import AnyRendering, DisplayLook
from upwelling.core.steps import AnyStep, Contrast, Exposure, Ladder, SlopeOffsetPower, Step, WhiteBalance
from upwelling.core.steps.group import MOST_GROUPS, StepGroup, check_groups
from upwelling.web.footage.layer_content import MOST_STEPS, LayerUse

Way = Literal["replace", "on top", "own"]
WAYS: dict[Way, str] = {
    "replace": "In place of the step of that kind",
    "on top": "On top of what is there",
    "own": "As a step of its own, last",
}
"""How given steps meet those of a shot."""
_KEPT = "The shot keeps its last good settings."
FIRST_STEPS = (
    Exposure(id="exposure"),
    WhiteBalance(id="balance"),
    Contrast(id="contrast"),
    Ladder(id="ladder"),
    SlopeOffsetPower(id="sop"),
)
"""The trim of a shot nobody has touched: the steps most shots need, all at rest."""


class OwnLook(Frozen):
    """A Look chosen for one shot, by its number in the production (0: none), and its strength."""

    look: int = Field(0, ge=0)
    strength: float = Field(
        1.0,
        ge=0,
        le=1,
        title="Strength",
        description="How much of the Look is mixed in, in the working log space.",
        json_schema_extra={"unit": "share", "fine": 0.05, "low": 0, "high": 1},
    )


class ShotSettings(Frozen):
    """The trim, an own Look (None: the group's or production's), an own rendering (None: the production's), whether the
    production's Look of the display is taken and how strongly (None: as the production), an own raw development (None:
    the camera's), which stages are on, whether its camera's correction is taken, and how the layers are taken that it
    shares with others.

    Each step of the trim has an id of its own, by which pages, history and pasting know it.
    """

    steps: Annotated[tuple[AnyStep, ...], Field(max_length=MOST_STEPS)] = FIRST_STEPS
    groups: Annotated[tuple[StepGroup, ...], Field(max_length=MOST_GROUPS)] = ()
    look: OwnLook | None = None
    rendering: AnyRendering | None = None
    display_look_on: bool = True
    display_look_strength: float | None = Field(None, ge=0, le=1)
    development: Development | None = None
    input_on: bool = True
    correction_on: bool = True
    camera_trim: LayerUse = LayerUse()
    group_trim: LayerUse = LayerUse()
    trim_on: bool = True
    look_on: bool = True
    group_look: LayerUse = LayerUse()
    rendering_on: bool = True
    finish: LayerUse = LayerUse()
    display_on: bool = True

    @model_validator(mode="after")
    def _ids_differ(self) -> Self:
        ids = [step.id for step in self.steps]
        if "" in ids or len(set(ids)) < len(ids):
            raise ValueError("Each step of a trim needs an id of its own")
        check_groups(self.steps, self.groups)
        linked: dict[str, Any] = {}
        for step in self.steps:
            for one in step.limit.selections if step.limit else ():
                shape = one.model_dump(exclude={"id", "join", "invert", "on"})
                if one.link and linked.setdefault(one.link, shape) != shape:
                    raise ValueError(
                        f"“{one.shown_name}” of {step.shown_name} is linked to a shape that differs from it"
                    )
        return self

    @model_validator(mode="after")
    def _looks_have_no_copies(self) -> Self:
        if self.group_look.own is not None:
            raise ValueError("A Look is shared by its name: a shot takes it at its own strength, or another Look")
        return self

    def use_of(self, kind: str) -> LayerUse:
        """How a shared layer of a kind is taken."""
        use: LayerUse = getattr(self, kind)
        return use

    @property
    def active(self) -> list[AnyStep]:
        """Steps that are on and change something."""
        off = {group.id for group in self.groups if not group.acts}
        return [s for s in self.steps if s.on and not s.changes_nothing and s.group not in off]

    def display_look(self, shared: DisplayLook | None) -> DisplayLook | None:
        """The production's Look of the display as this shot takes it."""
        if shared is None or (self.display_look_on and self.display_look_strength is None):
            return shared
        strength = shared.strength if self.display_look_strength is None else self.display_look_strength
        return shared.model_copy(update={"strength": strength, "on": shared.on and self.display_look_on})

    def alone(self) -> list[AnyStep]:
        """The active steps as they can stand outside this trim, in no group and linked to nothing. Raises BadValue
        while a group is mixed in by a strength, which single steps cannot say.
        """
        active = {step.group for step in self.active}
        for group in self.groups:
            if group.id in active and group.strength < 1:
                raise BadValue(
                    f"The group “{group.name or group.id}” is mixed in at {100 * group.strength:.0f} %, which single "
                    "steps cannot say. Set it to 100 %, or switch it off."
                )
        return [unlinked(step) for step in self.active]

    def with_steps(self, steps: Sequence[AnyStep], way: Way = "replace") -> ShotSettings:
        """These settings with steps pasted in. “replace”: each takes the place of the first of its kind, or comes last;
        “on top”: what is there stays, and each acts on top of it, in one step where one can say both, else as the last;
        “own”: each comes last.
        """
        mine = list(self.steps)
        taken: set[int] = set()
        for step in map(unlinked, steps):
            place = next((i for i, own in enumerate(mine) if own.kind == step.kind and i not in taken), None)
            if place is not None and way == "on top":
                both = step.on_top(mine[place]) if mine[place].on else None
                if mine[place].changes_nothing:
                    both = step
                if both is None:
                    place = None
                else:
                    step = both.model_copy(update={"name": mine[place].name, "note": mine[place].note})
            if place is None or way == "own":
                mine.append(step.model_copy(update={"id": free_id(mine, step.kind)}))
                taken.add(len(mine) - 1)
            else:
                mine[place] = step.model_copy(update={"id": mine[place].id, "group": mine[place].group})
                taken.add(place)
        if len(mine) > MOST_STEPS:
            raise BadValue(f"A trim holds at most {MOST_STEPS} steps; this would make {len(mine)}.")
        return self.model_copy(update={"steps": tuple(mine)})


LEFT_OUT = LayerUse(on=False)
BARE = ShotSettings(trim_on=False, camera_trim=LEFT_OUT, group_trim=LEFT_OUT)
"""What a shot's Input leaves, its camera's correction included: none of the trims acts."""


def unlinked(step: AnyStep) -> AnyStep:
    """A step whose shapes are its own, and in no group: what it was linked to stayed where it came from."""
    step = step.model_copy(update={"group": ""}) if step.group else step
    if step.limit is None or not any(one.link for one in step.limit.selections):
        return step
    own = tuple(one.model_copy(update={"link": ""}) for one in step.limit.selections)
    return step.model_copy(update={"limit": step.limit.model_copy(update={"selections": own})})


def free_id(steps: Sequence[Step], kind: str) -> str:
    """An id that none of the steps has."""
    stem, taken = kind.replace("_", "")[:9], {step.id for step in steps}
    return next(name for name in (stem, *(f"{stem}{n}" for n in range(2, 100))) if name not in taken)


def stored_settings(body: Any) -> ShotSettings:
    """Settings as a shot's history or a Mark keeps them, of whatever version; raises BadValue with the place and the
    reason.
    """
    try:
        return read_settings(opened("shot settings", body))
    except BadValue as error:
        raise BadValue(str(error).replace(_KEPT, "What was stored is kept as it is.")) from None


def read_settings(body: Any) -> ShotSettings:
    """Settings from plain data; raises BadValue with the place and the reason."""
    try:
        return ShotSettings.model_validate(body)
    except (ValueError, RecipeError) as error:
        if not isinstance(error, ValidationError):
            raise BadValue(f"{error} {_KEPT}") from None
        raise BadValue(f"{refusal(error, leave_out=('steps',))} {_KEPT}") from None
