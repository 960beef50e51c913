"""Light scattered around what is bright."""

from __future__ import annotations

from typing import ClassVar, Literal

from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import Operation
from upwelling.core.operations.scatter import Glow as GlowOperation
from upwelling.core.parameters import choice, number, signed, triple
from upwelling.core.steps.base import ShareOfLight, Step, luminance_of


class Glow(Step):
    """A share of the light above a threshold is scattered around where it comes from."""

    title: ClassVar[str] = "Glow"
    explanation: ClassVar[str] = (
        "Scatters light above a threshold, as a lens or filter does; light is neither won nor lost."
    )
    source: ClassVar[str] = "Our own: four Gaussians fitted to (1 + (r/r0)²)^−3/2"
    space: ClassVar[str] = "scene linear"
    invertible: ClassVar[bool] = False
    neutral: ClassVar[str] = "keeps neutral while the tint is neutral"

    kind: Literal["glow"] = "glow"
    amount: float = number(
        0.35, "Scattered", "share", 0, 1, 0.01, "How much of the light above the threshold is scattered.", keyed=True
    )
    size: float = number(
        0.06, "Size", "share", 0.002, 0.4, 0.002, "Sigma of the widest Gaussian, in frame heights.", keyed=True
    )
    threshold: float = number(
        1.5, "Threshold", "stops", -8, 10, 0.1, "Light above it scatters, in stops from mid grey.", keyed=True
    )
    tint: tuple[ShareOfLight, ShareOfLight, ShareOfLight] = triple(
        (1.0, 1.0, 1.0), "Tint", "×", 0, 4, 0.02, "How much of each channel is scattered."
    )
    energy: Literal["kept", "added"] = choice(
        "kept", "Light is", "“kept”: what is scattered is taken from its source; “added”: it comes on top."
    )

    @property
    def changes_nothing(self) -> bool:
        return not self.tracks and (self.amount == 0 or not any(self.tint))

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        return (
            GlowOperation(
                self.threshold, self.size, self.amount, self.tint, self.energy == "kept", luminance_of(working)
            ),
        )

    def values_text(self) -> str:
        return f"Glow {100 * self.amount:.0f} % above {signed(self.threshold, 1)} stops, {100 * self.size:.1f} % wide"
