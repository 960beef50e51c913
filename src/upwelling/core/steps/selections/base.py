"""What every selection answers, and what all shapes have: where they lie, how soft their edge is."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar

from pydantic import Field

from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import Join
from upwelling.core.operations.matte import Selection as SelectionOperation
from upwelling.core.parameters import number
from upwelling.core.steps.track import MOST_KEYS, Keyed

LABELS = ("id", "name", "link", "by_hand")
"""Fields that are for people and pages alone."""


class Selection(Keyed):
    """One part of a step's matte: a frozen, validated value.

    ``join`` says how it acts on what the parts before it selected: and, or, without. ``id`` tells the parts of one
    matte apart; parts with the same ``link`` in one trim are one shape, changed together.
    """

    explanation: ClassVar[str]

    id: str = Field("", max_length=12, pattern=r"^[a-z0-9]*$")
    name: str = Field("", max_length=60)
    link: str = Field("", max_length=12, pattern=r"^[a-z0-9]*$")
    kind: str = ""
    on: bool = True
    join: Join = "and"
    invert: bool = False

    def operation(self, working: Primaries) -> SelectionOperation:
        """The selection as a part of a Matte, on scene-linear working light."""
        raise NotImplementedError

    def summary(self) -> str:
        """What is selected, in a few words with numbers."""
        raise NotImplementedError

    @property
    def shown_name(self) -> str:
        return self.name or self.title


def along(default: float, title: str, low: float, high: float, help_text: str) -> Any:
    """A length in frame heights, or a place, that may change along a shot."""
    return number(default, title, "share", low, high, 0.01, help_text, keyed=True)


class Shape(Selection):
    """A selection by where a pixel stands. Lengths are shares of the frame's height.

    ``by_hand`` are the frames whose keys a person set; following ends at them instead of replacing them.
    """

    by_hand: tuple[Annotated[int, Field(ge=0, le=10_000_000)], ...] = Field((), max_length=MOST_KEYS)

    x: float = along(0.0, "Centre across", -4, 4, "From the frame's middle, in frame heights; positive is right.")
    y: float = along(0.0, "Centre down", -4, 4, "From the frame's middle, in frame heights; positive is down.")
    scale: float = number(1.0, "Scale", "×", 0.02, 20, 0.01, "The whole shape's size.", keyed=True)
    angle: float = number(0.0, "Angle", "°", -3600, 3600, 1, "Clockwise.", keyed=True)
    feather_in: float = along(0.03, "Feather inside", 0, 2, "Over which the edge fades inwards.")
    feather_out: float = along(0.03, "Feather outside", 0, 2, "Over which the edge fades outwards.")

    @property
    def placed(self) -> dict[str, Any]:
        """Place and edge, for the operation."""
        return {
            "x": self.x,
            "y": self.y,
            "angle": self.angle,
            "feather_in": self.feather_in * self.scale,
            "feather_out": self.feather_out * self.scale,
            "invert": self.invert,
        }

    def summary(self) -> str:
        name = self.name or self.shown_name.lower()
        goes = any(track.parameter in ("x", "y") for track in self.tracks)
        text = name if goes else f"{name} at {self.x:+.2f}, {self.y:+.2f}"
        text = f"{text}, moving" if self.tracks else text
        return f"all but {text}".replace("-", "−") if self.invert else text.replace("-", "−")
