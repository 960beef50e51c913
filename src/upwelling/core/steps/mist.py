"""The veil of a mist filter: all light a little around, and less contrast about mid grey."""

from __future__ import annotations

from typing import ClassVar, Literal

from upwelling.core.arrays import MID_GREY
from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import Affine, Operation
from upwelling.core.operations.scatter import Glow as GlowOperation
from upwelling.core.parameters import number
from upwelling.core.steps.base import Step, luminance_of

ALL_LIGHT = -30.0
"""Stops from mid grey above which light scatters: all of it."""


class Mist(Step):
    """A share of all light scatters widely, and a veil lifts black as far as it lowers white about mid grey."""

    title: ClassVar[str] = "Mist"
    explanation: ClassVar[str] = "A wide, low glow of all light and a veil over contrast; mid grey stays where it is."
    source: ClassVar[str] = "Our own: the glow's spread, and veiling light"
    space: ClassVar[str] = "scene linear"
    invertible: ClassVar[bool] = False
    neutral: ClassVar[str] = "keeps neutral"

    kind: Literal["mist"] = "mist"
    amount: float = number(0.2, "Scattered", "share", 0, 1, 0.01, "How much of all light goes around.", keyed=True)
    size: float = number(
        0.16, "Size", "share", 0.01, 0.4, 0.01, "Sigma of the widest Gaussian, in frame heights.", keyed=True
    )
    veil: float = number(
        0.04,
        "Veil",
        "share",
        0,
        0.5,
        0.005,
        "How far contrast is drawn to mid grey: black rises by this of it.",
        keyed=True,
    )

    @property
    def changes_nothing(self) -> bool:
        return not self.tracks and self.amount == self.veil == 0

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        glow = GlowOperation(ALL_LIGHT, self.size, self.amount, (1.0, 1.0, 1.0), True, luminance_of(working))
        veil = Affine(1 - self.veil, self.veil * MID_GREY)
        return (*((glow,) if self.amount else ()), *((veil,) if self.veil else ()))

    def values_text(self) -> str:
        return f"Mist {100 * self.amount:.0f} %, veil {100 * self.veil:.1f} %"
