"""What every Trim or Look step answers, and the documentation its controls are built from."""

from __future__ import annotations

import itertools
from typing import Annotated, Any, ClassVar

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.operations import Blend, Decode, Encode, Hold, Operation
from upwelling.core.primaries import Primaries
from upwelling.core.spline import Points, Spline
from upwelling.core.steps.colour_range import ColourRange, number

parameter = number


def choice(default: Any, title: str, help_text: str) -> Any:
    """A parameter whose type names its values."""
    return Field(default, title=title, description=help_text)


MOST_POINTS = 16
OWN = ("id", "name", "note", "on", "output", "strength", "limit", "kind")
"""Fields every step has; the rest are its parameters."""


class Step(BaseModel):
    """One operation inside Trim or Look: a frozen, validated value.

    Class attributes are what the step says of itself: the space it works in, whether a LUT can carry it (a function
    of the pixel's own value), whether it can be inverted, and what it does to neutral. ``id`` tells steps of one list
    apart; it, the name and the note are for people and change no number. ``output`` names the one output the step is for; empty: every one.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    title: ClassVar[str]
    explanation: ClassVar[str]
    source: ClassVar[str]
    space: ClassVar[str]
    fits_in_lut: ClassVar[bool] = True
    invertible: ClassVar[bool] = True
    neutral: ClassVar[str]

    id: str = Field("", max_length=12, pattern=r"^[a-z0-9]*$")
    name: str = Field("", max_length=60)
    note: str = Field("", max_length=500)
    kind: str = ""
    on: bool = True
    output: str = Field("", max_length=60)
    strength: float = Field(1.0, ge=0, le=1)
    limit: ColourRange | None = None

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        """What the step itself does, at full strength on every colour, from scene-linear working light to the same."""
        raise NotImplementedError

    def curve_of(self, name: str) -> Spline:
        """The curve that the points of a parameter stand for; KeyError for a parameter that is no curve."""
        raise KeyError(name)

    def operations(self, working: Primaries) -> tuple[Operation, ...]:
        """The step as operations on scene-linear working light: mixed in by strength and colour range in working log."""
        if self.changes_nothing or self.strength == 0:
            return ()
        if self.strength == 1 and self.limit is None:
            return self.work(working)
        select: tuple[Operation, ...] = (self.limit.operation(working),) if self.limit else ()
        return (*select, Encode(ACESCCT), Hold(), Decode(ACESCCT), *self.work(working), Encode(ACESCCT),
                Blend(self.strength, selected=self.limit is not None), Decode(ACESCCT))

    @property
    def parameters(self) -> dict[str, Any]:
        """What makes this kind of step what it is, without name, note, strength and limit."""
        return {n: getattr(self, n) for n in type(self).model_fields if n not in OWN}

    @property
    def changes_nothing(self) -> bool:
        """True when every parameter stands at its default."""
        return all(value == type(self).model_fields[n].default for n, value in self.parameters.items())

    @property
    def shown_name(self) -> str:
        return self.name or self.title

    def summary(self) -> str:
        """A few words with numbers, for the Column."""
        text = self.said()
        if self.strength < 1:
            text += f" at {self.strength * 100:.0f} %"
        return f"{text} on {self.limit.summary()}" if self.limit else text

    def said(self) -> str:
        """The parameters in a few words."""
        raise NotImplementedError


def signed(value: float, digits: int) -> str:
    """A number with a real sign, as the interface prints it."""
    text = f"{abs(value):.{digits}f}"
    if float(text) == 0:
        return text
    return ("−" if value < 0 else "+") + text


def _in_order(points: Points) -> Points:
    for (x, _), (after, _) in itertools.pairwise(points):
        if after - x < 1e-4:
            raise ValueError(f"Points must lie from left to right, each with room of its own; {after:g} follows {x:g}")
    return points


CurvePoints = Annotated[Points, Field(min_length=2, max_length=MOST_POINTS), AfterValidator(_in_order)]


def curve(default: Points, title: str, help_text: str, *, x: tuple[float, float], y: tuple[float, float], x_unit: str, y_unit: str,
          around: bool = False, identity: bool = False) -> Any:
    """A step's curve as points (x, y): its ranges, units, whether it runs around, and whether its rest is y = x."""
    return Field(default, title=title, description=help_text, json_schema_extra={"curve": {
        "x": list(x), "y": list(y), "x_unit": x_unit, "y_unit": y_unit, "around": around, "identity": identity}})


def within(points: Points, x: tuple[float, float], y: tuple[float, float], what: str) -> None:
    """Raises ValueError when a point lies outside its plot."""
    for px, py in points:
        if not (x[0] <= px <= x[1] and y[0] <= py <= y[1]):
            raise ValueError(f"{what}: the point {px:g}, {py:g} lies outside {x[0]:g}…{x[1]:g} by {y[0]:g}…{y[1]:g}")
