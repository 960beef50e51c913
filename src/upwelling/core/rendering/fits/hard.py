"""The hard clip: each channel is cut off at the display's black and peak."""

from __future__ import annotations

from typing import ClassVar, Literal

from upwelling.core.colour.primaries import Adaptation
from upwelling.core.outputs import Output
from upwelling.core.rendering.fits.base import GamutFit
from upwelling.core.rendering.limit import Limit


class HardClip(GamutFit):
    """Nothing inside the gamut moves; what is outside loses what its channels cannot show, and changes hue by it."""

    title: ClassVar[str] = "Hard clip"
    explanation: ClassVar[str] = (
        "Each channel is cut at 0 and at the peak. Colours inside do not move; hue shifts outside."
    )
    source: ClassVar[str] = "By definition"

    kind: Literal["hard"] = "hard"

    def operation(self, target: Output, adaptation: Adaptation) -> Limit:
        return Limit(0.0, 1.0)
