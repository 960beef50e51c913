"""Dust on film."""

from __future__ import annotations

from typing import ClassVar, Literal

from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import Operation
from upwelling.core.operations.dust import Dust as DustOperation
from upwelling.core.parameters import number, signed
from upwelling.core.steps.each_frame import EachFrame


class Dust(EachFrame):
    """Specks, new on every frame and always the same on it."""

    title: ClassVar[str] = "Dust"
    explanation: ClassVar[str] = (
        "Specks that lie elsewhere on every frame: dark as on a print, bright as on a negative."
    )
    source: ClassVar[str] = "Our own: seeded ellipses with soft edges"
    space: ClassVar[str] = "stops of light, by place"
    lights: ClassVar[tuple[str, ...]] = ("scene", "display")
    invertible: ClassVar[bool] = False
    neutral: ClassVar[str] = "keeps neutral"

    kind: Literal["dust"] = "dust"
    amount: float = number(3.0, "Specks", "a frame", 0, 60, 0.5, "How many on average.", keyed=True)
    size: float = number(
        0.008, "Size", "share", 0.001, 0.05, 0.001, "Length of the largest, in frame heights.", keyed=True
    )
    stops: float = number(
        -2.0, "Density", "stops", -6, 4, 0.1, "Light within a speck; above 0 it is bright.", keyed=True
    )
    seed: int = number(1, "Seed", "", 0, 9999, 1, "Another number puts them elsewhere.")

    @property
    def changes_nothing(self) -> bool:
        return not self.tracks and (self.amount == 0 or self.stops == 0)

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        return (DustOperation(self.amount, self.size, self.stops, self.seed, self.frame),)

    def values_text(self) -> str:
        return f"Dust, {self.amount:g} a frame at {signed(self.stops, 1)} stops"
