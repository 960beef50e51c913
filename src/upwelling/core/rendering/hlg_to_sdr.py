"""HLG to SDR: by the HLG display's own OOTF at the target's peak, or by the levels of BT.2408."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from upwelling.core.arrays import MID_GREY
from upwelling.core.colour.primaries import Adaptation, Primaries, rgb_to_rgb
from upwelling.core.curves.hlg import HLG, LUMINANCE, Ootf
from upwelling.core.operations import Affine, LuminancePower, Matrix, Operation
from upwelling.core.outputs import Output
from upwelling.core.parameters import number
from upwelling.core.rendering.base import ToneMap
from upwelling.core.rendering.limit import Limit
from upwelling.core.rendering.source_display import BT2020, scene_of, source_operations, source_white, to_gamut

WHITE_SIGNAL = 0.75
"""ITU-R BT.2408-7, table 1: HLG signal of HDR reference white."""


class HlgOotf(ToneMap):
    """What an HLG display of the target's peak would show: its system gamma falls with the peak, no other curve is
    used.
    """

    title: ClassVar[str] = "HLG OOTF at the peak"
    explanation: ClassVar[str] = (
        "Scene light as an HLG display of this peak shows it: diffuse white at the chosen signal, gamma by the peak."
    )
    source: ClassVar[str] = "ITU-R BT.2100-2, table 5 and note 5f; BT.2408-7, table 1 (white at 75 % of signal)"
    keeps: ClassVar[str] = "chromaticity up to the peak"
    hue_bound: ClassVar[float] = 1.0
    largest_step: ClassVar[tuple[float, float | None]] = (0.4, 1.5)

    kind: Literal["hlg_ootf"] = "hlg_ootf"
    white_signal: float = number(WHITE_SIGNAL, "White at", "signal", 0.5, 1.0, 0.01, "HLG signal of diffuse white.")

    @property
    def white_light(self) -> float:
        """Diffuse white over the light of 100 % of signal."""
        return float(HLG.to_linear(np.array(self.white_signal)))

    def tone(self, working: Primaries, target: Output, adaptation: Adaptation) -> tuple[Operation, ...]:
        ootf = Ootf(target.peak_nits)
        return (
            Matrix.of(self.white_light * rgb_to_rgb(working, BT2020, adaptation)),
            Limit(0.0, 1.0),
            LuminancePower(LUMINANCE, ootf.gamma - 1),
            *to_gamut(target.gamut, adaptation),
        )

    def peak_stops(self, target: Output) -> float:
        return float(np.log2(1 / self.white_light / MID_GREY))

    def values_text(self, target: Output) -> str:
        return f"HLG OOTF, gamma {Ootf(target.peak_nits).gamma:.2f} at {target.peak_nits:g} cd/m²"


class WhiteToWhite(ToneMap):
    """HDR reference white becomes the target's reference white; light keeps its ratios, and highlights above are cut
    off.
    """

    title: ClassVar[str] = "White to white"
    explanation: ClassVar[str] = (
        "HDR display light scaled so that its reference white, 203 cd/m², is the target's; above the peak it is "
        "cut off."
    )
    source: ClassVar[str] = (
        "Levels of ITU-R BT.2408-7, table 1; the straight line between them is ours, the report prescribes none"
    )
    keeps: ClassVar[str] = "chromaticity and ratios of HDR light up to the peak"
    hue_bound: ClassVar[float] = 1.0
    largest_step: ClassVar[tuple[float, float | None]] = (4.0, 1.5)

    kind: Literal["bt2408"] = "bt2408"
    white_nits: float = source_white()

    def tone(self, working: Primaries, target: Output, adaptation: Adaptation) -> tuple[Operation, ...]:
        gain = float(target.relative(target.white_nits))
        top = 10000.0
        return (
            *source_operations(working, adaptation, top, self.white_nits),
            Affine(top / self.white_nits * gain),
            Limit(0.0, 1.0),
            *to_gamut(target.gamut, adaptation),
        )

    def peak_stops(self, target: Output) -> float:
        return float(
            np.log2(scene_of(target.peak_nits / target.white_nits * self.white_nits, 1.0, self.white_nits) / MID_GREY)
        )

    def values_text(self, target: Output) -> str:
        return f"White at {self.white_nits:g} → {target.white_nits:g} cd/m², clipped above {target.peak_nits:g}"
