"""Limit: each channel held between two values."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.operations.base import PixelOperation


@dataclass(frozen=True)
class Limit(PixelOperation):
    """clip(channel, low, high); its inverse is the identity, for what was inside."""

    low: float
    high: float

    def apply(self, rgb: Float64) -> Float64:
        return np.clip(rgb, self.low, self.high)
