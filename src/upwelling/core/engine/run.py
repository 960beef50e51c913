"""Runs a program over an array."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.arrays import Float32, as_rgb
from upwelling.core.colour_operations import Select
from upwelling.core.engine.compile import Program, Table, Tiles
from upwelling.core.engine.tile import run_tiles
from upwelling.core.kernels import KERNEL_LOCK
from upwelling.core.operations import Blend, Hold

_NO_TAPS = np.zeros((1, 1, 3), np.float32)


def run(program: Program, rgb: Any, out: Float32 | None = None, taps: Float32 | None = None) -> Float32:
    """The program's result, float32, same shape as ``rgb`` (…, 3), which is left as it is.

    ``out``, of that shape and contiguous, is written and returned when given: fresh memory costs as much as a few operations.
    ``taps`` (M, …, 3), contiguous, takes what the program's Tap operations hand out.
    """
    value = np.ascontiguousarray(as_rgb(rgb, dtype=np.float32))
    if not value.flags.writeable:
        value = value.copy()  # a read-only array is another type to the compiler, which would take its time for it
    tapped = _NO_TAPS if taps is None else taps.reshape(len(taps), -1, 3)
    held: dict[int, Float32] = {}
    weight = np.ones(1, np.float32)
    for part in program.parts:
        if isinstance(part, Tiles):
            target = np.empty_like(value) if out is None else out
            with KERNEL_LOCK:
                run_tiles(value.reshape(-1, 3), part.codes, part.rows, part.tables, tapped, target.reshape(-1, 3))
            value = target
        elif isinstance(part, Table):
            value = part.lut.apply(value, part.interpolation)
        elif isinstance(part, Hold):
            held[part.slot] = value.copy() if value is out else value  # the next run would write over it
        elif isinstance(part, Select):
            weight = part.weight(value.astype(np.float64))[..., None].astype(np.float32)
        elif isinstance(part, Blend):
            before, share = held[part.slot], np.float32(part.strength) * (weight if part.selected else np.float32(1))
            value = before + share * (value - before)
    if out is not None and value is not out:
        out[...] = value
        return out
    return value
