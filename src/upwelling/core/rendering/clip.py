"""The simple clip, for comparison: no tone curve at all."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.colour.primaries import Adaptation, Primaries, rgb_to_rgb, rgb_to_xyz
from upwelling.core.operations import Matrix, Operation
from upwelling.core.outputs import Output
from upwelling.core.parameters import choice
from upwelling.core.rendering.base import Preserved, ToneMap
from upwelling.core.rendering.tone_scale import ToneScale


@dataclass(frozen=True)
class Straight:
    """Light times a gain."""

    gain: float

    def __call__(self, light: Float64) -> Float64:
        return np.asarray(light * self.gain)


class Clip(ToneMap):
    """Linear light with mid grey where the output wants it; brighter than the peak is cut off."""

    title: ClassVar[str] = "Clip at peak"
    explanation: ClassVar[str] = (
        "Straight light with mid grey in its place, cut off at the display's peak: what no tone map looks like."
    )
    source: ClassVar[str] = "By definition"
    keeps: ClassVar[str] = "everything up to the peak, nothing above"
    hue_bound: ClassVar[float] = 1.0
    largest_step: ClassVar[tuple[float, float | None]] = (2.0, 5.0)

    kind: Literal["clip"] = "clip"
    preserve: Preserved = choice(
        "channels",
        "Cut off by",
        "What is compared with the peak: each channel, or a norm with the channels kept in ratio.",
    )

    def tone(self, working: Primaries, target: Output, adaptation: Adaptation) -> tuple[Operation, ...]:
        r, g, b = rgb_to_xyz(working)[1]
        return (
            ToneScale(Straight(target.mid_grey / MID_GREY), self.preserve, (float(r), float(g), float(b)), 1.0),
            Matrix.of(rgb_to_rgb(working, target.gamut, adaptation)),
        )

    def peak_stops(self, target: Output) -> float:
        return float(-np.log2(target.mid_grey))

    def values_text(self, target: Output) -> str:
        return f"Clip at {2 ** self.peak_stops(target) * MID_GREY:.2g} × white → {target.peak_nits:g} cd/m²"
