"""What every step of a layer answers, and the documentation its controls are built from."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Self

from pydantic import Field

from upwelling.core.colour.primaries import Primaries, primaries, rgb_to_xyz
from upwelling.core.curves.spline import Spline
from upwelling.core.errors import BadValue
from upwelling.core.operations import Mix, MixRule, Needs, Operation, mixed_in_log, needs_of
from upwelling.core.operations.time_mean import Frames
from upwelling.core.steps.selections import Matte
from upwelling.core.steps.track import Keyed

OWN = ("id", "name", "note", "on", "output", "group", "strength", "mix", "limit", "tracks", "kind")
"""Fields every step has; the rest are its parameters."""
MIXES: dict[str, str] = {
    "replace": "As it is",
    "lighten": "Only lighter",
    "darken": "Only darker",
    "luminance": "Only luminance",
    "colour": "Only colour",
}
"""How a step's result may be taken, in words."""


ShareOfLight = Annotated[float, Field(ge=0, le=4)]
"""One channel of a tint."""


def luminance_of(working: Primaries) -> tuple[float, float, float]:
    """The weights of the channels in working luminance."""
    r, g, b = rgb_to_xyz(working)[1]
    return float(r), float(g), float(b)


class Step(Keyed):
    """One operation inside a layer: a frozen, validated value.

    Class attributes are what the step says of itself: the space it works in, whether it can be inverted, and what it
    does to neutral. ``id`` tells steps of one list apart; it, the name and the note are for people and change no
    number. ``output`` names the one output the step is for; empty: every one. ``limit`` says where it acts,
    ``strength`` how much and ``mix`` by which rule. ``tracks`` holds the parameters that change along the shot; ``at``
    puts values in.
    """

    explanation: ClassVar[str]
    source: ClassVar[str]
    space: ClassVar[str]
    invertible: ClassVar[bool] = True
    neutral: ClassVar[str]
    camera_light: ClassVar[bool] = False
    """Whether it goes by the camera's own levels, so that nothing may change light before it."""
    later: ClassVar[tuple[str, ...]] = ()
    """Parameters that came to this kind later: at rest they are left out of fingerprints, which older ones lack."""
    first_move: ClassVar[dict[str, str]] = {}
    """Choices that a resting step takes with them when a hand first moves one of its numbers."""
    lights: ClassVar[tuple[str, ...]] = ("scene",)
    """Which light it can work on: “scene”, and “display” where it means something after the rendering too."""

    id: str = Field("", max_length=12, pattern=r"^[a-z0-9]*$")
    name: str = Field("", max_length=60)
    note: str = Field("", max_length=500)
    kind: str = ""
    on: bool = True
    output: str = Field("", max_length=60)
    group: str = Field("", max_length=12, pattern=r"^[a-z0-9]*$")
    strength: float = Field(1.0, ge=0, le=1)
    mix: Mix = "replace"
    limit: Matte | None = None

    @property
    def moves(self) -> bool:
        """Whether anything of it changes along the shot."""
        return bool(self.tracks) or (self.limit is not None and self.limit.moves)

    def at(self, frame: float) -> Self:
        """The step as it stands at a frame of the file, with constants alone."""
        step = super().at(frame)
        limit = None if step.limit is None else step.limit.at(frame)
        return step if limit is step.limit else step.model_copy(update={"limit": limit})

    def fed(self, around: Frames) -> Self:
        """The step with the frames around the present one; most have no use for them."""
        return self

    @property
    def looks_around(self) -> bool:
        """Whether it has use for the frames around the present one."""
        return False

    @property
    def acts_wholly(self) -> bool:
        """Whether its result is taken as it is: everywhere, at full strength."""
        return self.strength == 1 and self.mix == "replace" and (self.limit is None or not self.limit.active)

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        """What the step itself does, at full strength on every colour, from linear light in ``working`` to the same."""
        raise NotImplementedError

    def curve_of(self, name: str) -> Spline:
        """The curve that the points of a parameter stand for; KeyError for a parameter that is no curve."""
        raise KeyError(name)

    def operations(self, working: Primaries) -> tuple[Operation, ...]:
        """The step as operations on scene-linear working light:
        mixed in by strength and colour range in working log.
        """
        if self.moves:
            raise BadValue(f"{self.shown_name} changes along the shot: say at which frame it is wanted.")
        if self.changes_nothing or self.strength == 0:
            return ()
        if self.acts_wholly:
            return self.work(working)
        rule = None if self.mix == "replace" else MixRule(self.mix, luminance_of(working))
        matte = self.limit.operation(working) if self.limit else None
        return mixed_in_log(self.work(working), self.strength, matte, rule)

    def needs(self, working: Primaries) -> Needs:
        """What it needs beside a pixel's own value, as it stands."""
        return needs_of(self.at(0).operations(working))

    @property
    def fits_in_lut(self) -> bool:
        """Whether a lookup table can carry it: it needs nothing beside a pixel's own value."""
        return not self.needs(primaries("AP1"))

    @property
    def parameters(self) -> dict[str, Any]:
        """What makes this kind of step what it is, without name, note, strength and limit."""
        return {n: getattr(self, n) for n in type(self).model_fields if n not in OWN}

    @property
    def changes_nothing(self) -> bool:
        """True when every parameter stands at its default."""
        fields = type(self).model_fields  # pydantic works it out at each access
        return not self.tracks and all(getattr(self, n) == fields[n].default for n in fields if n not in OWN)

    def on_top(self, below: Step) -> Self | None:
        """One step that does what ``below`` and then this one do, where one of this kind can; else None."""
        return None

    @property
    def folds(self) -> tuple[str, ...]:
        """What it folds that a neutral ramp does not show, in words."""
        return ()

    @property
    def shown_name(self) -> str:
        return self.name or self.title

    def summary(self) -> str:
        """A few words with numbers, for the Column."""
        text = (
            self.values_text()
            if not self.tracks
            else f"{self.title}, {sum(len(track.keys) for track in self.tracks)} keys along the shot"
        )
        if self.strength < 1:
            text += f" at {self.strength * 100:.0f} %"
        if self.mix != "replace":
            text += f", {MIXES[self.mix].lower()}"
        return f"{text} on {self.limit.summary()}" if self.limit and self.limit.active else text

    def values_text(self) -> str:
        """The parameters in a few words."""
        raise NotImplementedError
