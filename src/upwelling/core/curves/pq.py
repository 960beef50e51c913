"""PQ, the perceptual quantiser of SMPTE ST 2084 and ITU-R BT.2100."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import Float, signed_power
from upwelling.core.curves.base import Declared

# SMPTE ST 2084:2014, section 5.1; ITU-R BT.2100-2 table 4.
M1 = 2610 / 16384
M2 = 2523 / 4096 * 128
C1 = 3424 / 4096
C2 = 2413 / 4096 * 32
C3 = 2392 / 4096 * 32


@dataclass(frozen=True)
class PerceptualQuantiser(Declared):
    """linear 1.0 = 10,000 cd/m²; negative codes mirror the positive ones."""

    def to_linear(self, code: Float) -> Any:
        code = np.asarray(code)
        root = np.abs(code) ** (1 / M2)
        # The curve has a pole at code 1.99: from there on light is the most that any curve gives.
        return np.sign(code) * (np.maximum(root - C1, 0) / np.maximum(C2 - C3 * root, 1e-7)) ** (1 / M1)

    def from_linear(self, linear: Float) -> Any:
        linear = np.asarray(linear)
        power = np.abs(linear) ** M1
        return signed_power(np.where(linear < 0, -1.0, 1.0) * ((C1 + C2 * power) / (1 + C3 * power)), M2)


PQ = PerceptualQuantiser(
    name="PQ",
    explanation="Absolute HDR signal up to 10,000 cd/m².",
    source="SMPTE ST 2084:2014; ITU-R BT.2100-2, table 4",
    # ITU-R BT.2408-7, table 1: 26 cd/m² for 18 % grey is 38 %, 203 cd/m² for HDR reference white is 58 % of signal.
    anchors=(),
    linear_unit="1.0 = 10,000 cd/m²",
)
CURVES = (PQ,)
