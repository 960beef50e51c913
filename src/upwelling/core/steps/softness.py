"""Softness of a lens, a negative or a print, by its modulation transfer."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import Operation
from upwelling.core.operations.soften import Soften
from upwelling.core.parameters import number, triple
from upwelling.core.steps.base import Step

Times = Annotated[float, Field(ge=0.25, le=4)]
HALF_WIDTH = float(np.sqrt(np.log(2) / 2) / np.pi)
"""Sigma of the Gaussian whose modulation exp(−2π²σ²f²) is a half at f = 1."""


class Softness(Step):
    """A Gaussian whose modulation transfer is a half at the line pairs that are set."""

    title: ClassVar[str] = "Softness"
    explanation: ClassVar[str] = "Softens detail as a lens or film does, by where its modulation transfer is a half."
    source: ClassVar[str] = "Fourier transform of a Gaussian; modulation transfer as in ISO 12233"
    space: ClassVar[str] = "scene linear"
    lights: ClassVar[tuple[str, ...]] = ("scene", "display")
    invertible: ClassVar[bool] = False
    neutral: ClassVar[str] = "keeps neutral while the channels are alike"

    kind: Literal["softness"] = "softness"
    half: float = number(
        200.0, "Half at", "line pairs", 20, 3000, 5, "Line pairs a frame height whose contrast is halved.", keyed=True
    )
    layers: tuple[Times, Times, Times] = triple(
        (1.0, 1.0, 1.0),
        "By channel",
        "×",
        0.25,
        4,
        0.05,
        "Line pairs of each channel, times this: film is softest in red.",
    )

    @property
    def changes_nothing(self) -> bool:
        """At no strength alone."""
        return self.strength == 0

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        r, g, b = (HALF_WIDTH / (self.half * times) for times in self.layers)
        return (Soften((r, g, b)),)

    def values_text(self) -> str:
        return f"Half at {self.half:g} line pairs"
