"""Method A of ITU-R BT.2446: HDR to SDR through a perceptual luma, colour differences scaled after it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.colour.primaries import Adaptation, Primaries
from upwelling.core.curves import CURVES
from upwelling.core.curves.hlg import LUMINANCE
from upwelling.core.errors import BadValue
from upwelling.core.operations import Decode, Encode, Operation
from upwelling.core.operations.base import PixelOperation
from upwelling.core.outputs import Output
from upwelling.core.outputs.base import PQ_TOP
from upwelling.core.rendering.base import ToneMap
from upwelling.core.rendering.source_display import scene_of, source_operations, source_peak, source_white, to_gamut

GAMMA_2_4 = CURVES["gamma 2.4"]
# Report ITU-R BT.2446-1, section 4.2, the pieces of Y'c (from memory).
KNEE, TOP = 0.7399, 0.9909
LINE, BEND = 1.0770, (-1.1510, 2.7811, -0.6302)
CB, CR = 1.8814, 1.4746
"""ITU-R BT.2020-2, table 4: B′ − Y′ and R′ − Y′ over these."""


def _rho(nits: float) -> float:
    return float(1 + 32 * (nits / PQ_TOP) ** (1 / 2.4))


@dataclass(frozen=True)
class MethodA(PixelOperation):
    """R′G′B′ of the source (gamma 2.4, relative to its peak) to R′G′B′ of the target; section 4.2 of the report, as
    written.
    """

    source_nits: float
    peak_nits: float

    def luma(self, y: Float64) -> Float64:
        """Y′_SDR of Y′ in 0…1."""
        rho, small = _rho(self.source_nits), _rho(self.peak_nits)
        p = np.log1p((rho - 1) * np.asarray(y)) / np.log(rho)
        c = np.where(p <= KNEE, LINE * p, np.where(p < TOP, (BEND[0] * p + BEND[1]) * p + BEND[2], 0.5 * p + 0.5))
        return np.asarray((small**c - 1) / (small - 1))

    def luma_before(self, y_sdr: Float64) -> Float64:
        """Y′ of Y′_SDR, the inverse of ``luma``."""
        rho, small = _rho(self.source_nits), _rho(self.peak_nits)
        c = np.log1p((small - 1) * np.asarray(y_sdr)) / np.log(small)
        a, b, d = BEND
        bent = (-b + np.sqrt(np.maximum(b * b - 4 * a * (d - c), 0.0))) / (2 * a)
        p = np.where(c <= LINE * KNEE, c / LINE, np.where(c < (a * TOP + b) * TOP + d, bent, 2 * c - 1))
        return np.asarray((rho**p - 1) / (rho - 1))

    def ratio(self, y: Float64) -> Float64:
        """Y′_SDR/Y′, at 0 its limit."""
        held = np.clip(y, 1e-7, 1.0)
        return np.asarray(self.luma(held) / held)

    def apply(self, rgb: Float64) -> Float64:
        y = rgb @ np.array(LUMINANCE)
        ratio = self.ratio(y)
        cb, cr = ratio / 1.1 * (rgb[..., 2] - y) / CB, ratio / 1.1 * (rgb[..., 0] - y) / CR
        return self._joined(ratio * y - np.maximum(0.1 * cr, 0.0), cb, cr)

    def undo(self, rgb: Float64) -> Float64:
        """The inverse, exact for lumas in 0…1."""
        y_tmo = rgb @ np.array(LUMINANCE)
        cb, cr = (rgb[..., 2] - y_tmo) / CB, (rgb[..., 0] - y_tmo) / CR
        y = self.luma_before(y_tmo + np.maximum(0.1 * cr, 0.0))
        ratio = self.ratio(y) / 1.1
        return self._joined(y, cb / ratio, cr / ratio)

    @staticmethod
    def _joined(y: Float64, cb: Float64, cr: Float64) -> Float64:
        red, blue = y + CR * cr, y + CB * cb
        green = (y - LUMINANCE[0] * red - LUMINANCE[2] * blue) / LUMINANCE[1]
        return np.stack([red, green, blue], axis=-1)


class Bt2446A(ToneMap):
    """The report's method for programmes graded in HDR; keeps the overall brightness of HDR at SDR's peak."""

    title: ClassVar[str] = "BT.2446 method A"
    explanation: ClassVar[str] = (
        "A perceptual luma is compressed in three pieces; colour differences follow it, reds darkened a little."
    )
    source: ClassVar[str] = "Report ITU-R BT.2446-1 (2021), section 4"
    keeps: ClassVar[str] = "the direction of Cb and Cr in gamma-2.4 signal"
    hue_bound: ClassVar[float] = 1.5
    largest_step: ClassVar[tuple[float, float | None]] = (3.5, None)

    kind: Literal["bt2446a"] = "bt2446a"
    source_nits: float = source_peak()
    white_nits: float = source_white()

    def tone(self, working: Primaries, target: Output, adaptation: Adaptation) -> tuple[Operation, ...]:
        if target.is_hdr:
            raise BadValue(
                f"{self.title} maps HDR to SDR, and {target.name} is an HDR output. Give that output another rendering."
            )
        peak = max(self.source_nits, target.peak_nits)
        return (
            *source_operations(working, adaptation, peak, self.white_nits),
            Encode(GAMMA_2_4),
            MethodA(peak, target.peak_nits),
            Decode(GAMMA_2_4),
            *to_gamut(target.gamut, adaptation),
        )

    def peak_stops(self, target: Output) -> float:
        return float(np.log2(scene_of(1.0, max(self.source_nits, target.peak_nits), self.white_nits) / MID_GREY))

    def values_text(self, target: Output) -> str:
        return f"BT.2446 A, {max(self.source_nits, target.peak_nits):g} → {target.peak_nits:g} cd/m²"
