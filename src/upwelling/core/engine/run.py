"""Runs a program over an array."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.arrays import Float32, as_rgb
from upwelling.core.engine.compile import Program
from upwelling.core.engine.tile import run_tiles
from upwelling.core.kernels import KERNEL_LOCK


def run(program: Program, rgb: Any) -> Float32:
    """The program's result, float32, same shape as ``rgb`` (…, 3), which is left as it is."""
    source = np.ascontiguousarray(as_rgb(rgb, dtype=np.float32))
    target = np.empty_like(source)
    with KERNEL_LOCK:
        run_tiles(source.reshape(-1, 3), program.codes, program.rows, target.reshape(-1, 3))
    return target

