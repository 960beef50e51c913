"""A film response as a rendering: a negative and its print, shown on any display."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.colour.primaries import Adaptation, Primaries, adaptation_matrix, rgb_to_rgb, rgb_to_xyz
from upwelling.core.colour.temperature import kelvin_duv_to_xy
from upwelling.core.film import NegativeSettings, PrintSettings
from upwelling.core.film.print_settings import WHITE_STOPS
from upwelling.core.operations import Matrix, Operation
from upwelling.core.outputs import Output
from upwelling.core.parameters import number
from upwelling.core.rendering.base import ToneMap

OWN_WHITE = 6500.0
"""The projector's white that stands for the display's own."""


class Film(PrintSettings, NegativeSettings, ToneMap):
    """Scene light exposes three layers of a negative; printer lights shine through it onto a print; the print's dyes
    take their light from the display's white.
    """

    title: ClassVar[str] = "Film"
    explanation: ClassVar[str] = "A negative and its print: toe, straight line and shoulder of density in three layers."
    source: ClassVar[str] = "General sensitometry (Hurter and Driffield; James 1977; Hunt 2004); the formulas our own"
    keeps: ClassVar[str] = "neutral, while the layers are alike; hues turn as film turns them"
    hue_bound: ClassVar[float] = 32.0
    largest_step: ClassVar[tuple[float, float | None]] = (0.2, 0.2)

    kind: Literal["film"] = "film"
    white: float = number(
        OWN_WHITE,
        "Projector white",
        "K",
        4000,
        9000,
        50,
        "Colour of the screen's light; 6500 is the display's own white.",
    )

    def tone(self, working: Primaries, target: Output, adaptation: Adaptation) -> tuple[Operation, ...]:
        negative = self.negative()
        to_gamut = rgb_to_rgb(working, target.gamut, adaptation)
        return (negative, self.printed(negative, target.mid_grey), Matrix.of(self._tint(target) @ to_gamut))

    def _tint(self, target: Output) -> Float64:
        """The display's light to that of the projector's white, no channel above its peak."""
        if self.white == OWN_WHITE:
            return np.eye(3)
        to_xyz = rgb_to_xyz(target.gamut)
        adapted = adaptation_matrix(target.gamut.white, kelvin_duv_to_xy(self.white, 0.0), "CAT02")
        tint = np.linalg.inv(to_xyz) @ adapted @ to_xyz
        return np.asarray(tint / tint.sum(axis=1).max())

    def peak_stops(self, target: Output) -> float:
        return WHITE_STOPS

    def values_text(self, target: Output) -> str:
        return f"Film, gamma {self.gamma:g} × {self.print_gamma:g} → {target.peak_nits:g} cd/m²"
