"""Film grain."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import model_validator

from upwelling.core.colour.primaries import Primaries
from upwelling.core.curves.spline import Spline
from upwelling.core.operations import Operation
from upwelling.core.operations.grain import Grain as GrainOperation
from upwelling.core.parameters import CurvePoints, choice, curve, number, within
from upwelling.core.steps.base import luminance_of
from upwelling.core.steps.each_frame import EachFrame

STOPS, SHARES = (-8.0, 6.0), (0.0, 2.0)
COVERED = 7.5
"""Stops from mid grey to either end of a negative's range; a print's reaches from clear white, as far above mid grey as
white is, to its greatest density.
"""
WHITE, PRINT_RANGE = 2.47, 10.0
HEIGHTS = {"8 mm": 4.01, "16 mm": 7.49, "35 mm": 18.67, "65 mm": 23.01}
"""Height of the camera's aperture in mm: SMPTE ST 157, ST 7, ST 59 (full) and ST 215, from memory."""
BY_STOPS = ((-6.0, 0.7), (-2.0, 1.0), (0.0, 1.0), (3.0, 0.5), (5.0, 0.25))


class Grain(EachFrame):
    """Uneven density, new on every frame and always the same on it. ``moment`` is the frame, put in by ``at``."""

    title: ClassVar[str] = "Grain"
    explanation: ClassVar[str] = "Adds film grain: the same at every size, another on every frame, the mean unchanged."
    source: ClassVar[str] = "Our own: cubic B-spline noise on two lattices fixed in the frame"
    space: ClassVar[str] = "stops of scene light (density)"
    lights: ClassVar[tuple[str, ...]] = ("scene", "display")
    invertible: ClassVar[bool] = False
    neutral: ClassVar[str] = "keeps neutral while colour is 0"

    later: ClassVar[tuple[str, ...]] = ("strength_by", "format", "pitch")

    kind: Literal["grain"] = "grain"
    amount: float = number(
        0.12,
        "Amount",
        "stops",
        0,
        1.5,
        0.01,
        "Standard deviation around mid grey, before pixels average it.",
        keyed=True,
    )
    size: float = number(
        0.0016, "Size", "share", 0.0004, 0.02, 0.0001, "Distance between grains, in frame heights.", keyed=True
    )
    colour: float = number(
        0.35, "Colour", "share", 0, 1, 0.05, "0: one grain for all channels; 1: one for each.", keyed=True
    )
    by_stops: CurvePoints = curve(
        BY_STOPS,
        "By brightness",
        "The amount at each brightness, in stops from mid grey.",
        x=STOPS,
        y=SHARES,
        x_unit="stops",
        y_unit="×",
    )
    strength_by: Literal["brightness", "a negative's density", "a print's density"] = choice(
        "brightness",
        "Strength by",
        "The curve above, or density: greatest half way, none where film is clear and where it is black.",
    )
    format: Literal["own size", "8 mm", "16 mm", "35 mm", "65 mm"] = choice(
        "own size", "Format", "Film of that height shows grain of that pitch; “own size” takes the size above."
    )
    pitch: float = number(12.0, "Pitch on film", "µm", 3, 40, 0.5, "Distance between grains on the film, for a format.")
    seed: int = number(1, "Seed", "", 0, 9999, 1, "Another number gives another grain.")

    @model_validator(mode="after")
    def _in_its_plot(self) -> Grain:
        within(self.by_stops, STOPS, SHARES, "By brightness")
        return self

    @property
    def changes_nothing(self) -> bool:
        return not self.tracks and self.amount == 0

    @property
    def shown_size(self) -> float:
        """Distance between grains in frame heights."""
        height = HEIGHTS.get(self.format)
        return self.size if height is None else self.pitch / 1000 / height

    @property
    def strength_curve(self) -> Spline:
        """The amount at each brightness. By density it is that of independent grains that each cover or do not: with a
        share p covered the variance goes by p·(1 − p), 1 at a half (J. C. Dainty and R. Shaw, “Image Science”, 1974,
        chapter 3, from memory).
        """
        if self.strength_by == "brightness":
            return self.curve_of("by_stops")
        low, high = (-COVERED, COVERED) if "negative" in self.strength_by else (WHITE - PRINT_RANGE, WHITE)
        share = 0.5 - 0.5 * np.cos(np.linspace(0, np.pi, 33))
        return Spline(tuple((float(low + p * (high - low)), float(2 * np.sqrt(p * (1 - p)))) for p in share))

    def curve_of(self, name: str) -> Spline:
        if name != "by_stops":
            raise KeyError(name)
        return Spline(self.by_stops)

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        return (
            GrainOperation(
                self.shown_size,
                self.amount,
                self.colour,
                self.seed,
                self.frame,
                self.strength_curve,
                luminance_of(working),
            ),
        )

    def values_text(self) -> str:
        return f"Grain {self.amount:.2f} stops, {100 * self.shown_size:.2f} % apart"
