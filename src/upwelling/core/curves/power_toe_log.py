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


def _square_toe(
    name: str,
    explanation: str,
    source: str,
    anchor: Anchor,
    ends: float,
    cut: float,
    gain: float,
    beta: float,
    gamma: float,
    delta: float,
) -> PowerToeLog:
    """code = gamma·log2(x + beta) + delta from ``cut`` on, gain·(x − ends)² below; names as in the white papers (c,
    R_0, R_t).
    """
    return PowerToeLog(
        name=name,
        explanation=explanation,
        source=source,
        anchors=(anchor,),
        log_slope=gamma,
        log_offset=delta,
        linear_offset=beta,
        break_linear=cut,
        break_code=gain * (cut - ends) ** 2,
        toe_gain=gain,
        toe_shift=-ends,
        toe_power=2.0,
        ends=True,
    )


# Both from memory, confirmed against colour-science 0.4.7.
APPLE_LOG = _square_toe(
    "Apple Log",
    "Phone log curve with a square below 1 % reflectance; it ends at code 0.",
    "Apple, Apple Log Profile White Paper (2023)",
    Anchor(0.18, 499.5),
    -0.05641088,
    0.01,
    47.28711236,
    0.00964052,
    0.08550479,
    0.69336945,
)
MI_LOG = _square_toe(
    "Mi-Log",
    "Phone log curve with a square below 2 % reflectance; it ends at code 0.",
    "Xiaomi, Mi-Log Profile White Paper (2024)",
    Anchor(0.18, 463.9),
    -0.09023729,
    0.01974185,
    18.10531998,
    0.01384578,
    0.09271529,
    0.6729185,
)
CURVES = (N_LOG, APPLE_LOG, MI_LOG)
