"""HLG, the hybrid log gamma of ITU-R BT.2100 (scene-referred: OETF and its inverse)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import Float
from upwelling.core.curves.base import Declared

# ITU-R BT.2100-2, table 5: a as printed, b = 1 − 4a, c = 0.5 − a·ln(4a).
A = 0.17883277
B = 1 - 4 * A
C = 0.5 - A * np.log(4 * A)


@dataclass(frozen=True)
class HybridLogGamma(Declared):
    """linear 1.0 = scene light at the nominal peak signal; negative values mirror the positive ones."""

    def to_linear(self, code: Float) -> Any:
        code = np.asarray(code)
        size = np.abs(code)
        light = np.where(size <= 0.5, size * size / 3, (np.exp((size - C) / A) + B) / 12)
        return np.sign(code) * light

    def from_linear(self, linear: Float) -> Any:
        linear = np.asarray(linear)
        size = np.abs(linear)
        above = A * np.log(np.maximum(12 * size, 1.0) - B) + C
        return np.sign(linear) * np.where(size <= 1 / 12, np.sqrt(3 * size), above)


HLG = HybridLogGamma(
    name="HLG",
    explanation="Relative HDR signal; decoded to scene light by the inverse OETF.",
    source="ITU-R BT.2100-2, table 5",
    anchors=(),
    linear_unit="1.0 = scene light at 100 % of signal",
)
CURVES = (HLG,)
