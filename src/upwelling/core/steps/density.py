"""Colour that becomes richer by absorbing light."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import Operation
from upwelling.core.operations.density import DyeDensity
from upwelling.core.parameters import number, signed
from upwelling.core.steps.base import Step

SKIN_HUE = 24.0
"""Density hue of skin: the two skin patches of the 24-patch chart lie at 26° and 23° (tests/core/test_density.py)."""
HUES = ("red", "yellow", "green", "cyan", "blue", "magenta")


def _share(hue: str) -> Any:
    """How much of the change one of the six hues takes."""
    help_text = f"How much of the change {hue} colours take; what lies between two takes its part of both."
    return number(1.0, hue.capitalize(), "×", 0, 2, 0.05, help_text)


class Density(Step):
    """Each channel's density over the pixel's level times the richness, and rich colours darker by the depth."""

    title: ClassVar[str] = "Density"
    explanation: ClassVar[str] = (
        "Makes colour richer as a thicker dye does, by absorbing light: it grows darker, not lighter."
    )
    source: ClassVar[str] = "Law of Lambert and Beer on a power norm; our own form"
    space: ClassVar[str] = "optical density of scene light over the pixel's level"
    neutral: ClassVar[str] = "keeps neutral"

    kind: Literal["density"] = "density"
    richness: float = number(
        1.0, "Richness", "×", 0.5, 2.5, 0.02, "Density of colour, times this; below 1 colour thins out.", keyed=True
    )
    depth: float = number(
        0.0, "Depth", "stops", -1, 3, 0.05, "How many stops darker the richest colours become besides.", keyed=True
    )
    red: float = _share("red")
    yellow: float = _share("yellow")
    green: float = _share("green")
    cyan: float = _share("cyan")
    blue: float = _share("blue")
    magenta: float = _share("magenta")
    spare_neutral: float = number(
        0.0, "Spare near neutral", "share", 0, 1, 0.05, "How much of the change is taken back close to neutral."
    )
    spare_skin: float = number(
        0.0, "Spare skin", "share", 0, 1, 0.05, "How much of the change is taken back for hues of skin."
    )

    @property
    def changes_nothing(self) -> bool:
        return not self.tracks and self.richness == 1 and self.depth == 0

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        shares = tuple(float(getattr(self, hue)) for hue in HUES)
        return (DyeDensity(self.richness, self.depth, shares, self.spare_neutral, self.spare_skin, SKIN_HUE),)

    def values_text(self) -> str:
        return f"Density {self.richness:.2f}" + (f", depth {signed(self.depth, 2)} stops" if self.depth else "")
