"""Compression of the distance from achromatic, with the parameters of the ACES reference gamut compress.

For each channel d = (ach − c) / |ach| with ach the largest channel: 0 for neutral, 1 on the edge of the gamut, above 1
outside. Above a threshold d is compressed so that the limit comes to lie on 1.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.colour.primaries import Adaptation
from upwelling.core.operations.base import PixelOperation
from upwelling.core.outputs import Output
from upwelling.core.rendering.fits.base import GamutFit

# Academy TB-2021-001 / LMT.Academy.ReferenceGamutCompress: limits and thresholds of cyan, magenta, yellow, and the
# power (from memory).
LIMITS = (1.147, 1.264, 1.312)
THRESHOLDS = (0.815, 0.803, 0.880)
POWER = 1.2


def scale_of(threshold: float, limit: float) -> float:
    """The scale that takes ``limit`` to 1."""
    return float((limit - threshold) / (((1 - threshold) / (limit - threshold)) ** -POWER - 1) ** (1 / POWER))


SCALES = tuple(scale_of(t, limit) for t, limit in zip(THRESHOLDS, LIMITS, strict=True))


class DistanceFit(GamutFit):
    """The published compression, in the output's primaries; what is still outside after it is cut off."""

    title: ClassVar[str] = "Distance from achromatic"
    explanation: ClassVar[str] = (
        "Each channel's distance from the largest is compressed; published for AP1, used here in the output's "
        "primaries."
    )
    source: ClassVar[str] = "Academy, ACES Reference Gamut Compression (TB-2021-001)"

    kind: Literal["distance"] = "distance"

    def operation(self, target: Output, adaptation: Adaptation) -> DistanceOperation:
        return DistanceOperation()


@dataclass(frozen=True)
class DistanceOperation(PixelOperation):
    """The compression and the cut at 0 and 1."""

    def compressed(self, rgb: Float64) -> Float64:
        """Without the cut; undone by ``restored``."""
        return self._moved(rgb, False)

    def restored(self, rgb: Float64) -> Float64:
        """The inverse, for distances below where the compression flattens out."""
        return self._moved(rgb, True)

    @staticmethod
    def _moved(rgb: Float64, back: bool) -> Float64:
        largest = rgb.max(axis=-1, keepdims=True)
        size = np.abs(largest)
        distance = np.where(size > 0, (largest - rgb) / np.maximum(size, 1e-30), 0.0)
        threshold, scale = np.array(THRESHOLDS), np.array(SCALES)
        x = np.maximum(distance - threshold, 0.0) / scale
        if back:
            raised = np.minimum(x, 0.999999) ** POWER
            moved = scale * (raised / (1 - raised)) ** (1 / POWER)
        else:
            moved = scale * x / (1 + x**POWER) ** (1 / POWER)
        return np.asarray(largest - np.where(distance < threshold, distance, threshold + moved) * size)

    def apply(self, rgb: Float64) -> Float64:
        return np.clip(self.compressed(rgb), 0.0, 1.0)
