"""Steps: one Trim or Look operation a file. ``STEPS`` is the explicit list of members, in their usual order of work."""

from __future__ import annotations

from typing import TYPE_CHECKING

from upwelling.core.frozen import any_of
from upwelling.core.steps.base import Step
from upwelling.core.steps.calm_noise import CalmNoise
from upwelling.core.steps.colour_curves import ColourCurves
from upwelling.core.steps.colour_matrix import ColourMatrix
from upwelling.core.steps.contrast import Contrast
from upwelling.core.steps.density import Density
from upwelling.core.steps.dust import Dust
from upwelling.core.steps.exposure import Exposure
from upwelling.core.steps.film_negative import FilmNegative
from upwelling.core.steps.gate import Gate
from upwelling.core.steps.glow import Glow
from upwelling.core.steps.grain import Grain
from upwelling.core.steps.halation import Halation
from upwelling.core.steps.highlights import Highlights
from upwelling.core.steps.ladder import Ladder
from upwelling.core.steps.lut import LutStep
from upwelling.core.steps.mist import Mist
from upwelling.core.steps.printer_light import PrinterLight
from upwelling.core.steps.root_matrix import RootMatrix
from upwelling.core.steps.saturation import Saturation
from upwelling.core.steps.selections import SELECTIONS, ColourRange, Matte, range_around, sampled
from upwelling.core.steps.sharpen import Sharpen
from upwelling.core.steps.slope_offset_power import SlopeOffsetPower
from upwelling.core.steps.softness import Softness
from upwelling.core.steps.streaks import Streaks
from upwelling.core.steps.tone_curve import ToneCurve
from upwelling.core.steps.turn_colours import TurnColours
from upwelling.core.steps.vignette import Vignette
from upwelling.core.steps.white_balance import WhiteBalance
from upwelling.core.steps.zone_balance import ZoneBalance

STEPS: tuple[type[Step], ...] = (
    Highlights,
    Exposure,
    WhiteBalance,
    PrinterLight,
    ColourMatrix,
    RootMatrix,
    Contrast,
    Ladder,
    ZoneBalance,
    SlopeOffsetPower,
    ToneCurve,
    Saturation,
    Density,
    ColourCurves,
    TurnColours,
    FilmNegative,
    CalmNoise,
    Sharpen,
    Softness,
    Streaks,
    Glow,
    Mist,
    Halation,
    Vignette,
    Gate,
    Dust,
    Grain,
)
"""Those that can be added by hand; a LutStep comes from a table brought in, and only into a Look."""
if TYPE_CHECKING:
    AnyStep = Step
else:
    AnyStep = any_of(*STEPS, LutStep)

__all__ = [
    "SELECTIONS",
    "STEPS",
    "AnyStep",
    "CalmNoise",
    "ColourCurves",
    "ColourMatrix",
    "ColourRange",
    "Contrast",
    "Density",
    "Dust",
    "Exposure",
    "FilmNegative",
    "Gate",
    "Glow",
    "Grain",
    "Halation",
    "Highlights",
    "Ladder",
    "LutStep",
    "Matte",
    "Mist",
    "PrinterLight",
    "RootMatrix",
    "Saturation",
    "Sharpen",
    "SlopeOffsetPower",
    "Softness",
    "Step",
    "Streaks",
    "ToneCurve",
    "TurnColours",
    "Vignette",
    "WhiteBalance",
    "ZoneBalance",
    "range_around",
    "sampled",
]
