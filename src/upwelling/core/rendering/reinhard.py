"""The extended photographic operator of Reinhard et al., on luminance."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.colour.primaries import Adaptation, Primaries, rgb_to_rgb, rgb_to_xyz
from upwelling.core.errors import BadValue
from upwelling.core.operations import Matrix, Operation
from upwelling.core.outputs import Output
from upwelling.core.parameters import choice, number
from upwelling.core.rendering.base import Preserved, ToneMap
from upwelling.core.rendering.tone_scale import ToneScale


@dataclass(frozen=True)
class Photographic:
    """L_d = L·(1 + L/L_white²)/(1 + L) with L = key·light (equation 4)."""

    key: float
    white: float

    def __call__(self, light: Float64) -> Float64:
        scaled = self.key * light
        return np.asarray(scaled * (1 + scaled / self.white**2) / (1 + scaled))


class Reinhard(ToneMap):
    """The key is the one that lands mid grey where the output wants it; L_white is the scene peak under that key."""

    title: ClassVar[str] = "Reinhard, extended"
    explanation: ClassVar[str] = (
        "L·(1 + L/L_white²)/(1 + L): the scene peak is shown at the display's peak, ever flatter towards it."
    )
    source: ClassVar[str] = (
        "Reinhard, Stark, Shirley, Ferwerda, “Photographic tone reproduction for digital images”, SIGGRAPH 2002, eq. 4"
    )
    keeps: ClassVar[str] = "the ratios of channels, or each channel's own curve"
    hue_bound: ClassVar[float] = 1.0
    largest_step: ClassVar[tuple[float, float | None]] = (0.5, 7.0)

    kind: Literal["reinhard"] = "reinhard"
    scene_peak: float = number(
        16.0,
        "Scene peak",
        "× white",
        2.0,
        1024.0,
        1.0,
        "Scene light, in diffuse whites, that is shown at the display's peak (L_white).",
    )
    preserve: Preserved = choice("luminance", "Curve on", "What goes through the curve; published on luminance.")
    saturation: float = number(
        0.0,
        "Saturation kept",
        "×",
        0.0,
        1.0,
        0.05,
        "For a curve on channels: 0 lets highlights pale as the channels do, 1 keeps the scene's saturation.",
    )

    def curve(self, target: Output) -> Photographic:
        """Solved for mid grey: key·g + g²/P² = m·(1 + key·g)."""
        middle = target.mid_grey
        key = (middle - (MID_GREY / self.scene_peak) ** 2) / (MID_GREY * (1 - middle))
        if key <= 0.01:
            raise BadValue(
                f"A scene peak of {self.scene_peak:g} × white leaves no room for mid grey at "
                f"{target.mid_grey_nits:g} of {target.peak_nits:g} cd/m². Raise the scene peak."
            )
        return Photographic(key, key * self.scene_peak)

    def tone(self, working: Primaries, target: Output, adaptation: Adaptation) -> tuple[Operation, ...]:
        r, g, b = rgb_to_xyz(working)[1]
        return (
            ToneScale(self.curve(target), self.preserve, (float(r), float(g), float(b)), 1.0, self.saturation),
            Matrix.of(rgb_to_rgb(working, target.gamut, adaptation)),
        )

    def peak_stops(self, target: Output) -> float:
        return float(np.log2(self.scene_peak / MID_GREY))

    def values_text(self, target: Output) -> str:
        return f"Reinhard, scene peak {self.scene_peak:g} × white → {target.peak_nits:g} cd/m²"
