"""ACEScct over whole arrays in float32, on all cores: for operations that work on frames in the working log."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange

from upwelling.core.arrays import Float32
from upwelling.core.kernels import KERNEL_LOCK, parallel
from upwelling.core.kernels.acescct import code_of

PART = 16384


@parallel
def _encode(light: Any, code: Any) -> None:
    for part in prange((light.shape[0] + PART - 1) // PART):
        for i in range(part * PART, min((part + 1) * PART, light.shape[0])):
            code[i] = code_of(light[i])


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
