"""Detail raised or lowered by bands of frequency."""

from __future__ import annotations

from typing import ClassVar, Literal

from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import Operation
from upwelling.core.operations.bands import BandDetail
from upwelling.core.parameters import choice, number, signed
from upwelling.core.steps.base import Step, luminance_of


class Sharpen(Step):
    """Sharpens above 0 and softens below it, in three bands: detail finer than the radius, up to twice and up to four
    times it.
    """

    title: ClassVar[str] = "Sharpen · soften"
    explanation: ClassVar[str] = "Raises or lowers detail in three bands of frequency; halos are held within a limit."
    source: ClassVar[str] = "Our own: differences of Gaussians in the working log"
    space: ClassVar[str] = "working log (ACEScct curve)"
    lights: ClassVar[tuple[str, ...]] = ("scene", "display")
    invertible: ClassVar[bool] = False
    neutral: ClassVar[str] = "keeps neutral"

    kind: Literal["sharpen"] = "sharpen"
    radius: float = number(
        0.001, "Radius", "share", 0.0002, 0.02, 0.0002, "Sigma of the finest blur, in frame heights.", keyed=True
    )
    fine: float = number(
        0.7, "Fine", "×", -1, 4, 0.05, "Gain on detail finer than the radius; −1 removes it.", keyed=True
    )
    medium: float = number(0.35, "Medium", "×", -1, 4, 0.05, "Gain on detail of one to two radii.", keyed=True)
    coarse: float = number(0.0, "Coarse", "×", -1, 4, 0.05, "Gain on detail of two to four radii.", keyed=True)
    threshold: float = number(
        0.03, "Threshold", "stops", 0, 1, 0.01, "Detail below it is not raised: noise.", keyed=True
    )
    halo: float = number(
        0.7, "Halo limit", "stops", 0.05, 4, 0.05, "What is added at an edge stays within so many stops.", keyed=True
    )
    channels: Literal["brightness", "all channels"] = choice(
        "brightness", "Works on", "Brightness alone keeps colours; all channels sharpens colour edges too."
    )

    @property
    def changes_nothing(self) -> bool:
        return not self.tracks and self.fine == self.medium == self.coarse == 0

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        gains = (self.fine, self.medium, self.coarse)
        return (BandDetail(self.radius, gains, self.threshold, self.halo, self.channels, luminance_of(working)),)

    def values_text(self) -> str:
        gains = " ".join(signed(gain, 2) for gain in (self.fine, self.medium, self.coarse))
        return f"Sharpen {gains} at {100 * self.radius:.2f} %"
