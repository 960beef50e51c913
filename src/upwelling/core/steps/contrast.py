"""Contrast about a pivot, in stops."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from upwelling.core.arrays import MID_GREY
from upwelling.core.colour.primaries import Primaries
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.operations import Affine, Decode, Encode, Operation
from upwelling.core.parameters import number, signed
from upwelling.core.steps.base import Step


class Contrast(Step):
    """Distances from the pivot in stops, times the contrast; the log curve's straight toe takes over near black."""

    title: ClassVar[str] = "Contrast"
    explanation: ClassVar[str] = "Stops from the pivot, times this, per channel; the pivot stays where it is."
    source: ClassVar[str] = "By definition, in log2 light; Academy S-2016-001 for the toe"
    space: ClassVar[str] = "working log (ACEScct curve)"
    neutral: ClassVar[str] = "keeps neutral"

    kind: Literal["contrast"] = "contrast"
    contrast: float = number(
        1.0, "Contrast", "stops/stop", 0.25, 3, 0.02, "Stops out for each stop in, about the pivot."
    )
    pivot: float = number(0.0, "Pivot", "stops", -6, 6, 0.1, "Where nothing moves, from mid grey.")

    @property
    def changes_nothing(self) -> bool:
        return self.contrast == 1.0

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        pivot_code = float(ACESCCT.from_linear(np.array(MID_GREY * 2.0**self.pivot)))
        return (Encode(ACESCCT), Affine(self.contrast, pivot_code * (1 - self.contrast)), Decode(ACESCCT))

    def values_text(self) -> str:
        return f"Contrast {self.contrast:.2f}" + (f" about {signed(self.pivot, 1)}" if self.pivot else "")
