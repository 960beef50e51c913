"""Light drawn out from or towards a point."""

from __future__ import annotations

from typing import ClassVar, Literal

from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import Operation
from upwelling.core.operations.streaks import Streaks as StreaksOperation
from upwelling.core.parameters import choice, number, signed, triple
from upwelling.core.steps.base import ShareOfLight, Step, luminance_of


class Streaks(Step):
    """Rays of light from bright places, away from a point or towards it."""

    title: ClassVar[str] = "Streaks"
    explanation: ClassVar[str] = "Draws bright light out along rays, away from a point or towards it."
    source: ClassVar[str] = "Our own: light scaled around a point and added to itself"
    space: ClassVar[str] = "scene linear"
    invertible: ClassVar[bool] = False
    neutral: ClassVar[str] = "keeps neutral while the tint is neutral"

    kind: Literal["streaks"] = "streaks"
    amount: float = number(
        0.5, "Strength", "share", 0, 4, 0.02, "How much of the drawn-out light is added.", keyed=True
    )
    length: float = number(
        0.5, "Length", "share", 0.02, 0.95, 0.01, "Share of the way to the point that a streak is long.", keyed=True
    )
    threshold: float = number(
        1.5, "Threshold", "stops", -8, 10, 0.1, "Light above it makes streaks, in stops from mid grey.", keyed=True
    )
    x: float = number(
        0.0, "Point across", "share", -4, 4, 0.01, "From the frame's middle, in frame heights.", keyed=True
    )
    y: float = number(0.0, "Point down", "share", -4, 4, 0.01, "From the frame's middle, in frame heights.", keyed=True)
    direction: Literal["away", "towards"] = choice("away", "Direction", "Away from the point, or towards it.")
    tint: tuple[ShareOfLight, ShareOfLight, ShareOfLight] = triple(
        (1.0, 1.0, 1.0), "Tint", "×", 0, 4, 0.02, "The streaks' light in each channel."
    )

    @property
    def changes_nothing(self) -> bool:
        return not self.tracks and (self.amount == 0 or not any(self.tint))

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        return (
            StreaksOperation(
                self.x,
                self.y,
                self.length,
                self.direction == "towards",
                self.threshold,
                self.amount,
                self.tint,
                luminance_of(working),
            ),
        )

    def values_text(self) -> str:
        return f"Streaks {self.direction} {signed(self.x, 2)}, {signed(self.y, 2)}"
