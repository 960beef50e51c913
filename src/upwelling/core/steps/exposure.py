"""Exposure in stops."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import Affine, Operation
from upwelling.core.parameters import number, signed
from upwelling.core.steps.base import Step

MOST = 8.0


class Exposure(Step):
    """Scene light times 2^stops."""

    title: ClassVar[str] = "Exposure"
    explanation: ClassVar[str] = "Multiplies scene light, as opening the iris would."
    source: ClassVar[str] = "By definition: one stop doubles the light"
    space: ClassVar[str] = "scene linear"
    neutral: ClassVar[str] = "keeps neutral"

    kind: Literal["exposure"] = "exposure"
    stops: float = number(
        0.0, "Exposure", "stops", -MOST, MOST, 0.05, "Gain on scene light; +1 doubles it.", keyed=True
    )

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        return (Affine(2.0**self.stops),)

    def on_top(self, below: Step) -> Self | None:
        both = self.stops + below.stops if isinstance(below, Exposure) else MOST + 1
        alone = self.acts_wholly and below.acts_wholly and not (self.moves or below.moves)
        return self.model_copy(update={"stops": round(both, 6)}) if alone and abs(both) <= MOST else None

    def values_text(self) -> str:
        return f"Exposure {signed(self.stops, 2)}"
