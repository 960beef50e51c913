"""The red halo of film at bright edges."""

from __future__ import annotations

from typing import ClassVar, Literal

from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import Operation
from upwelling.core.operations.scatter import Halation as HalationOperation
from upwelling.core.parameters import number, signed, triple
from upwelling.core.steps.base import ShareOfLight, Step, luminance_of


class Halation(Step):
    """Light that went through the film comes back from its base around bright edges, in the red layer first."""

    title: ClassVar[str] = "Halation"
    explanation: ClassVar[str] = "Adds the halo of light passed through film and back, at bright edges only."
    source: ClassVar[str] = "Our own: two Gaussians of bright light, where they exceed it"
    space: ClassVar[str] = "scene linear"
    invertible: ClassVar[bool] = False
    neutral: ClassVar[str] = "tints neutral at bright edges"

    kind: Literal["halation"] = "halation"
    amount: float = number(0.3, "Strength", "share", 0, 2, 0.01, "How much of the halo is added.", keyed=True)
    size: float = number(
        0.012, "Size", "share", 0.001, 0.1, 0.001, "Sigma of the narrower Gaussian, in frame heights.", keyed=True
    )
    threshold: float = number(
        2.0, "Threshold", "stops", -8, 10, 0.1, "Light above it comes back, in stops from mid grey.", keyed=True
    )
    colour: tuple[ShareOfLight, ShareOfLight, ShareOfLight] = triple(
        (1.0, 0.25, 0.05), "Colour", "×", 0, 4, 0.02, "The halo's light in each channel."
    )

    @property
    def changes_nothing(self) -> bool:
        return not self.tracks and (self.amount == 0 or not any(self.colour))

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        return (HalationOperation(self.threshold, self.size, self.amount, self.colour, luminance_of(working)),)

    def values_text(self) -> str:
        return f"Halation {100 * self.amount:.0f} % above {signed(self.threshold, 1)} stops"
