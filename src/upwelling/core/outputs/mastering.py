"""What HDR10 says of a picture: the mastering display (SMPTE ST 2086) and the content's light levels (CTA-861.3)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.outputs.base import Output

XY_STEP, NITS_STEP = 0.00002, 0.0001
"""Units of the coded values; SMPTE ST 2086:2018, as carried by HEVC (ITU-T H.265, annex D.2.28)."""


@dataclass(frozen=True)
class MasteringDisplay:
    """Chromaticities and luminances of the display the picture was made on, and as integers in the units of the
    standard.
    """

    red: tuple[float, float]
    green: tuple[float, float]
    blue: tuple[float, float]
    white: tuple[float, float]
    peak_nits: float
    black_nits: float

    @classmethod
    def of(cls, target: Output) -> MasteringDisplay:
        """The output's own display. A black of 0 is said as the smallest step, as 0 means “not known”."""
        space = target.gamut
        return cls(space.red, space.green, space.blue, space.white, target.peak_nits, max(target.black_nits, NITS_STEP))

    def coded(self) -> str:
        """Green, blue, red, white point and luminances in coded units, in the order HEVC carries them."""

        def xy(pair: tuple[float, float]) -> str:
            return f"({round(pair[0] / XY_STEP)},{round(pair[1] / XY_STEP)})"

        return (
            f"G{xy(self.green)}B{xy(self.blue)}R{xy(self.red)}WP{xy(self.white)}"
            f"L({round(self.peak_nits / NITS_STEP)},{round(self.black_nits / NITS_STEP)})"
        )


@dataclass(frozen=True)
class LightLevel:
    """Of frames seen so far: the brightest pixel and the brightest frame's average, in cd/m² (CTA-861.3, annex P)."""

    max_cll: float = 0.0
    max_fall: float = 0.0
    frames: int = 0

    def and_frame(self, nits: Any) -> LightLevel:
        """With one more frame of display light (H, W, 3) in cd/m²: both figures go by the largest channel of each
        pixel.
        """
        largest = np.asarray(nits).max(axis=-1)
        return LightLevel(
            max(self.max_cll, float(largest.max())),
            max(self.max_fall, float(largest.mean(dtype=np.float64))),
            self.frames + 1,
        )

    def coded(self) -> str:
        """As whole cd/m², rounded up so that neither is understated."""
        return f"{int(np.ceil(self.max_cll - 1e-6))},{int(np.ceil(self.max_fall - 1e-6))}"
