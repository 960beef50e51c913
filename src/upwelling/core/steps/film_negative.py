"""A film negative's response, in scene light."""

from __future__ import annotations

from typing import ClassVar, Literal

from upwelling.core.arrays import MID_GREY
from upwelling.core.colour.primaries import Primaries
from upwelling.core.film import NegativeSettings
from upwelling.core.operations import Operation
from upwelling.core.operations.film import ReadNegative
from upwelling.core.steps.base import Step


class FilmNegative(NegativeSettings, Step):
    """Scene light exposed on a negative and read back by the slope of its straight line: what is left is toe, shoulder
    and what the layers do to colour. Any rendering may follow.
    """

    title: ClassVar[str] = "Film negative"
    explanation: ClassVar[str] = "The response of a negative, read back as scene light; mid grey stays where it is."
    source: ClassVar[str] = "General sensitometry (Hurter and Driffield; James 1977; Hunt 2004); the formulas our own"
    space: ClassVar[str] = "density over log exposure of scene light"
    neutral: ClassVar[str] = "keeps neutral while the layers are alike"

    kind: Literal["film_negative"] = "film_negative"

    @property
    def changes_nothing(self) -> bool:
        """At no strength alone: a negative at its defaults is a negative."""
        return self.strength == 0

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        negative = self.negative()
        r, g, b = (layer.gamma for layer in negative.layers)
        return (negative, ReadNegative((r, g, b), negative.of_grey(MID_GREY)))

    def values_text(self) -> str:
        return f"Negative, gamma {self.gamma:g}, {self.latitude:g} stops"
