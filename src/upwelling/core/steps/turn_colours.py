"""Turn colours: hue, saturation and lightness of what is selected, moved as one."""

from __future__ import annotations

from typing import ClassVar, Literal

from upwelling.core.colour.primaries import Primaries
from upwelling.core.curves.spline import Spline
from upwelling.core.operations import ColourShift, Operation
from upwelling.core.operations.colour import FLAT
from upwelling.core.parameters import number, signed
from upwelling.core.steps.base import Step
from upwelling.core.steps.selections.colour_range import oklab_rows


def _everywhere(value: float) -> Spline:
    return Spline(((-1.0, value), (1.0, value)))


class TurnColours(Step):
    """Oklab hue turned by an angle, chroma times an amount, and light times 2^stops, the same for every colour: what it
    acts on is said by its selections.
    """

    title: ClassVar[str] = "Turn colours"
    explanation: ClassVar[str] = (
        "Turns, strengthens and lightens what is selected, as one; without a selection all of it."
    )
    source: ClassVar[str] = "Oklab: B. Ottosson 2020"
    space: ClassVar[str] = "Oklab of scene light (hue-linear)"
    lights: ClassVar[tuple[str, ...]] = ("scene", "display")
    neutral: ClassVar[str] = "keeps neutral"

    kind: Literal["turn_colours"] = "turn_colours"
    turn: float = number(0.0, "Hue", "°", -180, 180, 1, "Degrees by which Oklab hue is turned.", keyed=True)
    saturation: float = number(1.0, "Saturation", "×", 0, 3, 0.02, "Colourfulness, times this.", keyed=True)
    lift: float = number(0.0, "Lightness", "stops", -3, 3, 0.05, "Gain of light in stops.", keyed=True)

    @property
    def invertible(self) -> bool:  # type: ignore[override]
        return self.saturation > 0

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        one = _everywhere(1.0)
        return (
            ColourShift(
                FLAT,
                one,
                FLAT,
                _everywhere(self.saturation),
                one,
                oklab_rows(working),
                hue_by_stops=_everywhere(self.turn),
                brightness_by_stops=_everywhere(self.lift),
            ),
        )

    def values_text(self) -> str:
        parts = [
            f"hue {signed(self.turn, 0)}°" if self.turn else "",
            f"saturation {self.saturation:.2f}" if self.saturation != 1 else "",
            f"lightness {signed(self.lift, 2)}" if self.lift else "",
        ]
        return f"Turn colours: {', '.join(filter(None, parts)) or 'at rest'}"
