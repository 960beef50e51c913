"""Method C of ITU-R BT.2446: HDR to SDR by a curve on luminance between two crosstalk matrices."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.colour.primaries import Adaptation, Primaries
from upwelling.core.curves.hlg import LUMINANCE
from upwelling.core.errors import BadValue
from upwelling.core.operations import Affine, Matrix, Operation
from upwelling.core.outputs import Output
from upwelling.core.parameters import choice, number
from upwelling.core.rendering.base import ToneMap
from upwelling.core.rendering.source_display import scene_of, source_operations, source_peak, source_white, to_gamut
from upwelling.core.rendering.tone_scale import ToneScale

# Report ITU-R BT.2446-1, section 6.1.4 (from memory); light in percent of SDR white, which is cd/m² on a 100 cd/m²
# display.
K1, K2, K3, K4 = 0.83802, 15.09968, 0.74204, 78.99439
BREAK = 58.5 / K1


@dataclass(frozen=True)
class MethodC:
    """Luminance over the source's peak to SDR luminance, 1.0 = 100 %; above white the curve goes on to about 118 % of
    1000 cd/m².
    """

    source_nits: float

    def __call__(self, light: Float64) -> Float64:
        nits = np.asarray(light) * self.source_nits
        above = K2 * np.log(np.maximum(nits / BREAK - K3, 1e-9)) + K4
        return np.where(nits < BREAK, K1 * nits, above) / 100


def crosstalk(amount: float) -> Float64:
    """The matrix that mixes channels: 1 − 2α on the diagonal, α beside it."""
    return np.eye(3) * (1 - 3 * amount) + amount


class Bt2446C(ToneMap):
    """The report's method for live production: skin and white are kept where they were, highlights folded into a
    logarithm.
    """

    title: ClassVar[str] = "BT.2446 method C"
    explanation: ClassVar[str] = (
        "Straight to 58.5 % of white, a logarithm above it; channels are mixed before and unmixed after."
    )
    source: ClassVar[str] = (
        "Report ITU-R BT.2446-1 (2021), section 6; the optional chroma correction above white is left out"
    )
    keeps: ClassVar[str] = "chromaticity, apart from the crosstalk"
    hue_bound: ClassVar[float] = 1.0
    largest_step: ClassVar[tuple[float, float | None]] = (0.3, None)

    kind: Literal["bt2446c"] = "bt2446c"
    source_nits: float = source_peak()
    white_nits: float = source_white()
    mix: float = number(
        0.04,
        "Crosstalk α",
        "×",
        0.0,
        0.33,
        0.01,
        "Share of the other channels mixed in before the curve, and out after it.",
    )
    above_white: Literal["cut off", "scaled to the peak"] = choice(
        "cut off",
        "Above 100 %",
        "The curve ends at 118 % for 1000 cd/m²: cut off there, or the whole scaled so that its end is the peak.",
    )

    def tone(self, working: Primaries, target: Output, adaptation: Adaptation) -> tuple[Operation, ...]:
        if target.is_hdr:
            raise BadValue(
                f"{self.title} maps HDR to SDR, and {target.name} is an HDR output. Give that output another rendering."
            )
        curve = MethodC(self.source_nits)
        mixed = crosstalk(self.mix)
        gain = 1.0 if self.above_white == "cut off" else 1 / float(curve(np.ones(1))[0])
        ceiling = 1e6 if self.above_white == "cut off" else 1 / gain
        return (
            *source_operations(working, adaptation, self.source_nits, self.white_nits),
            Matrix.of(mixed),
            ToneScale(curve, "luminance", LUMINANCE, ceiling),
            Affine(gain),
            Matrix.of(np.asarray(np.linalg.inv(mixed), dtype=np.float64)),
            *to_gamut(target.gamut, adaptation),
        )

    def peak_stops(self, target: Output) -> float:
        curve = MethodC(self.source_nits)
        top = 1.0
        if self.above_white == "cut off" and float(curve(np.ones(1))[0]) > 1:
            top = BREAK * (np.exp((100 - K4) / K2) + K3) / self.source_nits
        return float(np.log2(scene_of(top, self.source_nits, self.white_nits) / MID_GREY))

    def values_text(self, target: Output) -> str:
        return f"BT.2446 C, {self.source_nits:g} cd/m² → SDR"
