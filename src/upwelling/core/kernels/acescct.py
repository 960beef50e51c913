"""ACEScct for kernels, one value at a time in float32: Academy S-2016-001, as core/curves/aces_log has it; tests hold
the two together.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.arrays import STOPS_A_CODE
from upwelling.core.kernels import inline
from upwelling.core.kernels.fastmath import exp2_fast, log2_fast

F = np.float32
LOG_SLOPE, LOG_OFFSET, STOPS, STOPS_OFFSET = F(1 / STOPS_A_CODE), F(9.72 / STOPS_A_CODE), F(STOPS_A_CODE), F(-9.72)
TOE_SLOPE, INV_TOE, TOE_OFFSET = F(10.5402377416545), F(1 / 10.5402377416545), F(0.0729055341958355)
BREAK_LIGHT, BREAK_CODE = F(0.0078125), F(0.155251141552511)


@inline
def code_of(light: Any) -> Any:
    """Light to ACEScct code."""
    return light * TOE_SLOPE + TOE_OFFSET if light <= BREAK_LIGHT else log2_fast(light) * LOG_SLOPE + LOG_OFFSET


@inline
def light_of(code: Any) -> Any:
    """ACEScct code to light."""
    return (code - TOE_OFFSET) * INV_TOE if code <= BREAK_CODE else exp2_fast(code * STOPS + STOPS_OFFSET)
