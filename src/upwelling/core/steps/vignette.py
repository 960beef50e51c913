"""Light that falls away, or grows, from a centre outwards."""

from __future__ import annotations

from typing import ClassVar, Literal

from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import Operation, RadialGain
from upwelling.core.parameters import number, signed
from upwelling.core.steps.base import Step


class Vignette(Step):
    """Scene light times 2^(stops·s); s goes from 0 within ``size`` of the centre to 1 over ``falloff``.

    Lengths are frame heights.
    """

    title: ClassVar[str] = "Vignette"
    explanation: ClassVar[str] = "Darkens or brightens scene light from a centre outwards, by where a pixel stands."
    source: ClassVar[str] = "Our own: stops times 3t² − 2t³ of the distance"
    space: ClassVar[str] = "scene linear"
    lights: ClassVar[tuple[str, ...]] = ("scene", "display")
    neutral: ClassVar[str] = "keeps neutral"

    kind: Literal["vignette"] = "vignette"
    stops: float = number(
        -1.0, "Vignette", "stops", -6, 6, 0.05, "Gain far from the centre; −1 halves the light there.", keyed=True
    )
    x: float = number(
        0.0,
        "Centre across",
        "share",
        -2,
        2,
        0.01,
        "From the frame's middle, in frame heights; positive is right.",
        keyed=True,
    )
    y: float = number(
        0.0,
        "Centre down",
        "share",
        -1,
        1,
        0.01,
        "From the frame's middle, in frame heights; positive is down.",
        keyed=True,
    )
    size: float = number(
        0.35,
        "Untouched within",
        "share",
        0,
        2,
        0.01,
        "Distance from the centre, in frame heights, up to which nothing changes.",
        keyed=True,
    )
    falloff: float = number(
        0.6, "Falloff", "share", 0.01, 3, 0.01, "Over how many frame heights it grows to the full stops.", keyed=True
    )
    stretch: float = number(
        1.0, "Stretch", "× width", 0.25, 4, 0.01, "1 is a circle; 2 is twice as wide as high.", keyed=True
    )

    @property
    def changes_nothing(self) -> bool:
        """At rest without stops; a new one darkens, so that it is seen."""
        return not self.tracks and self.stops == 0

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        return (RadialGain(self.stops, self.x, self.y, self.size, self.size + self.falloff, self.stretch),)

    def values_text(self) -> str:
        return f"Vignette {signed(self.stops, 2)} beyond {self.size + self.falloff:.2f} of the height"
