"""Saturation that can spare skin and what is saturated already."""

from __future__ import annotations

from typing import ClassVar, Literal

from upwelling.core.colour.primaries import Primaries
from upwelling.core.curves.spline import Spline
from upwelling.core.operations import ColourShift, Operation
from upwelling.core.operations.colour import FLAT
from upwelling.core.parameters import number
from upwelling.core.steps.base import Step
from upwelling.core.steps.selections.colour_range import oklab_rows

SKIN_HUE = 42.0
"""Oklab hue of skin: the two skin patches of the 24-patch chart lie at 42° and 38° (tests/core/test_steps.py)."""
SKIN_CORE, SKIN_SOFT = 14.0, 22.0
"""Degrees on either side that count wholly as skin, and over which that fades. Common practice, no source."""
SPARED_FROM, SPARED_FULLY = 0.12, 0.40
"""Saturation C/L from which a colour begins to count as saturated already, and where it does wholly. Our own choice."""

WHOLE = Spline(((0.0, 1.0), (360.0, 1.0)))


class Saturation(Step):
    """Oklab chroma times the amount, at constant hue and lightness; the two protections take the change back."""

    title: ClassVar[str] = "Saturation"
    explanation: ClassVar[str] = (
        "Scales colourfulness at constant hue; skin and what is saturated already can be spared."
    )
    source: ClassVar[str] = "Oklab: B. Ottosson 2020. Skin's range of hue: common practice, no source"
    space: ClassVar[str] = "Oklab of scene light (hue-linear)"
    lights: ClassVar[tuple[str, ...]] = ("scene", "display")
    neutral: ClassVar[str] = "keeps neutral"

    kind: Literal["saturation"] = "saturation"
    amount: float = number(1.0, "Saturation", "×", 0, 3, 0.02, "Colourfulness, times this; 0 is without colour.")
    spare_skin: float = number(
        0.0, "Spare skin", "share", 0, 1, 0.05, "How much of the change is taken back for hues of skin."
    )
    spare_saturated: float = number(
        0.0,
        "Spare saturated",
        "share",
        0,
        1,
        0.05,
        "How much of the change is taken back for colours that are saturated already.",
    )

    @property
    def changes_nothing(self) -> bool:
        return self.amount == 1.0

    @property
    def invertible(self) -> bool:  # type: ignore[override]
        return self.amount > 0

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        core, edge, left = SKIN_CORE, SKIN_CORE + SKIN_SOFT, 1 - self.spare_skin
        skin = Spline(
            ((SKIN_HUE - edge, 1.0), (SKIN_HUE - core, left), (SKIN_HUE + core, left), (SKIN_HUE + edge, 1.0)), "around"
        )
        full = Spline(((SPARED_FROM, 1.0), (SPARED_FULLY, 1 - self.spare_saturated)))
        return (
            ColourShift(
                FLAT,
                skin if self.spare_skin else WHOLE,
                FLAT,
                full if self.spare_saturated else WHOLE,
                WHOLE,
                oklab_rows(working),
                self.amount,
            ),
        )

    def values_text(self) -> str:
        spared = [name for name, share in (("skin", self.spare_skin), ("saturated", self.spare_saturated)) if share]
        return f"Saturation {self.amount:.2f}" + (f", sparing {' and '.join(spared)}" if spared else "")
