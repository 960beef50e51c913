"""ACEScct over whole arrays in float32, on all cores: for operations that work on frames in the working log."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange

from upwelling.core.arrays import Float32
from upwelling.core.kernels import KERNEL_LOCK, parallel
from upwelling.core.kernels.fastmath import log2_fast

F = np.float32
SLOPE, OFFSET = F(1 / 17.52), F(9.72 / 17.52)
STOPS, STOPS_OFFSET = F(17.52), F(-9.72)
TOE_SLOPE, TOE_OFFSET, BREAK_LIGHT, BREAK_CODE = (
    F(10.5402377416545),
    F(0.0729055341958355),
    F(0.0078125),
    F(0.155251141552511),
)
PART = 16384


@parallel
def _encode(light: Any, code: Any) -> None:
    """Academy S-2016-001, as core/curves/aces_log has it; tests hold the two together."""
    for part in prange((light.shape[0] + PART - 1) // PART):
        for i in range(part * PART, min((part + 1) * PART, light.shape[0])):
            x = light[i]
            code[i] = x * TOE_SLOPE + TOE_OFFSET if x <= BREAK_LIGHT else log2_fast(x) * SLOPE + OFFSET


def _over(kernel: Any, values: Float32) -> Float32:
    values = np.ascontiguousarray(values, dtype=np.float32)
    if not values.flags.writeable:
        values = values.copy()
    made = np.empty_like(values)
    with KERNEL_LOCK:
        kernel(values.reshape(-1), made.reshape(-1))
    return made


def to_log(light: Float32) -> Float32:
    """ACEScct code of light of any shape."""
    return _over(_encode, light)
