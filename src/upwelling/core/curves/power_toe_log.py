"""N-Log, Apple Log and Mi-Log: a logarithm above a break, a power below it."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from upwelling.core.arrays import Float, signed_power
from upwelling.core.curves.base import Anchor, Declared


@dataclass(frozen=True)
class PowerToeLog(Declared):
    """code = log_slope·log2(x + linear_offset) + log_offset above; toe_gain·(x + toe_shift)^toe_power below.

    ``ends`` says that the curve stops where the toe reaches code 0: darker light is held there.
    """

    log_slope: float = field(default=1.0, kw_only=True)
    log_offset: float = field(default=0.0, kw_only=True)
    linear_offset: float = field(default=0.0, kw_only=True)
    break_linear: float = field(default=0.0, kw_only=True)
    break_code: float = field(default=0.0, kw_only=True)
    toe_gain: float = field(default=1.0, kw_only=True)
    toe_shift: float = field(default=0.0, kw_only=True)
    toe_power: float = field(default=1.0, kw_only=True)
    ends: bool = field(default=False, kw_only=True)

    def to_linear(self, code: Float) -> Any:
        code = np.asarray(code)
        above = np.exp2((np.maximum(code, self.break_code) - self.log_offset) / self.log_slope) - self.linear_offset
        toe = np.maximum(code, 0) if self.ends else code
        return np.where(
            code >= self.break_code, above, signed_power(toe / self.toe_gain, 1 / self.toe_power) - self.toe_shift
        )

    def from_linear(self, linear: Float) -> Any:
        linear = np.asarray(linear)
        above = self.log_slope * np.log2(np.maximum(linear, self.break_linear) + self.linear_offset) + self.log_offset
        base = linear + self.toe_shift
        base = np.maximum(base, 0) if self.ends else base
        return np.where(linear >= self.break_linear, above, self.toe_gain * signed_power(base, self.toe_power))


# Nikon, "N-Log Specification Document", version 1.0.0 (2018); from memory, confirmed against colour-science 0.4.7.
N_LOG = PowerToeLog(
    name="N-Log",
    explanation="Camera log curve with a cube root below a third of white; mid grey at code 372 of 1023.",
    source="Nikon, N-Log Specification Document, version 1.0.0 (2018)",
    anchors=(Anchor(0.18, 372), Anchor(0.90, 603)),
    log_slope=150 / 1023 * math.log(2),
    log_offset=619 / 1023,
    break_linear=0.328,
    break_code=452 / 1023,
    toe_gain=650 / 1023,
    toe_shift=0.0075,
    toe_power=1 / 3,
)
# Apple, "Apple Log Profile White Paper" (2023); from memory, confirmed against colour-science 0.4.7.
APPLE_LOG = PowerToeLog(
    name="Apple Log",
    explanation="Phone log curve with a square below 1 % reflectance; it ends at code 0.",
    source="Apple, Apple Log Profile White Paper (2023)",
    anchors=(Anchor(0.18, 499.5),),
    log_slope=0.08550479,
    log_offset=0.69336945,
    linear_offset=0.00964052,
    break_linear=0.01,
    break_code=47.28711236 * (0.01 + 0.05641088) ** 2,
    toe_gain=47.28711236,
    toe_shift=0.05641088,
    toe_power=2.0,
    ends=True,
)
# Xiaomi, "Mi-Log Profile White Paper" (2024); from memory, confirmed against colour-science 0.4.7.
MI_LOG = PowerToeLog(
    name="Mi-Log",
    explanation="Phone log curve with a square below 2 % reflectance; it ends at code 0.",
    source="Xiaomi, Mi-Log Profile White Paper (2024)",
    anchors=(Anchor(0.18, 463.9),),
    log_slope=0.09271529,
    log_offset=0.6729185,
    linear_offset=0.01384578,
    break_linear=0.01974185,
    break_code=18.10531998 * (0.01974185 + 0.09023729) ** 2,
    toe_gain=18.10531998,
    toe_shift=0.09023729,
    toe_power=2.0,
    ends=True,
)
CURVES = (N_LOG, APPLE_LOG, MI_LOG)
