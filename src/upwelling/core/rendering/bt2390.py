"""The EETF of ITU-R BT.2390: from a source display to a smaller one, in the domain of PQ."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.colour.primaries import Adaptation, Primaries
from upwelling.core.curves.hlg import LUMINANCE
from upwelling.core.curves.pq import PQ
from upwelling.core.operations import Operation
from upwelling.core.outputs import Output
from upwelling.core.outputs.base import PQ_TOP
from upwelling.core.parameters import choice, number
from upwelling.core.rendering.base import Preserved, ToneMap
from upwelling.core.rendering.source_display import scene_of, source_operations, source_peak, source_white, to_gamut
from upwelling.core.rendering.tone_scale import ToneScale


def _signal(nits: float) -> float:
    return float(PQ.from_linear(np.array(nits / PQ_TOP)))


@dataclass(frozen=True)
class Eetf:
    """Source light over its peak to target light over its peak; ITU-R BT.2390-8, section 5.4.1, steps 1 to 5.

    L_B is 0: the source's black. The target's black is lifted to by b·(1 − E2)⁴ and then counted as none, as everywhere
    in an Output.
    """

    source_nits: float
    peak_nits: float
    black_nits: float

    def signal(self, e1: Float64) -> Float64:
        """E3 of E1, both PQ signals over that of the source's peak."""
        top = _signal(self.source_nits)
        most = min(_signal(self.peak_nits) / top, 1.0)
        least = _signal(self.black_nits) / top if self.black_nits else 0.0
        knee = 1.5 * most - 0.5
        span = max(1 - knee, 1e-9)
        t = (e1 - knee) / span
        spline = (2 * t**3 - 3 * t**2 + 1) * knee + (t**3 - 2 * t**2 + t) * span + (-2 * t**3 + 3 * t**2) * most
        e2 = np.where(e1 < knee, e1, spline)
        return np.asarray(e2 + least * (1 - np.minimum(e2, 1.0)) ** 4)

    def __call__(self, light: Float64) -> Float64:
        top = _signal(self.source_nits)
        e1 = np.minimum(PQ.from_linear(light * (self.source_nits / PQ_TOP)) / top, 1.0)
        nits = PQ.to_linear(self.signal(e1) * top) * PQ_TOP
        zero = float(PQ.to_linear(self.signal(np.zeros(1)) * top)[0]) * PQ_TOP
        return np.asarray((nits - zero) / (self.peak_nits - self.black_nits))


class Bt2390(ToneMap):
    """Up to its knee the light stays what it was in cd/m²; above, a Hermite spline ends at the target's peak."""

    title: ClassVar[str] = "BT.2390 EETF"
    explanation: ClassVar[str] = (
        "Below the knee every cd/m² stays; above it a spline in PQ signal ends at the display's peak."
    )
    source: ClassVar[str] = "Report ITU-R BT.2390-8 (2020), section 5.4.1"
    keeps: ClassVar[str] = "cd/m² below the knee"
    hue_bound: ClassVar[float] = 1.0
    largest_step: ClassVar[tuple[float, float | None]] = (0.3, 1.5)

    kind: Literal["bt2390"] = "bt2390"
    source_nits: float = source_peak()
    white_nits: float = source_white()
    preserve: Preserved = choice(
        "luminance", "Curve on", "The report offers channels and luminance; a max-weighted norm is ours."
    )
    saturation: float = number(
        0.0,
        "Saturation kept",
        "×",
        0.0,
        1.0,
        0.05,
        "For a curve on channels: 0 lets highlights pale as the channels do, 1 keeps the source's saturation.",
    )

    def tone(self, working: Primaries, target: Output, adaptation: Adaptation) -> tuple[Operation, ...]:
        curve = Eetf(max(self.source_nits, target.peak_nits), target.peak_nits, target.black_nits)
        return (
            *source_operations(working, adaptation, curve.source_nits, self.white_nits),
            ToneScale(curve, self.preserve, LUMINANCE, 1.0, self.saturation),
            *to_gamut(target.gamut, adaptation),
        )

    def peak_stops(self, target: Output) -> float:
        return float(np.log2(scene_of(1.0, max(self.source_nits, target.peak_nits), self.white_nits) / MID_GREY))

    def values_text(self, target: Output) -> str:
        return f"BT.2390 EETF, {max(self.source_nits, target.peak_nits):g} → {target.peak_nits:g} cd/m²"
