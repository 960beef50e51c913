"""The exact path over many samples: float64, in blocks that stay in the processor's cache, on all cores."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.operations import Operation, run_reference

_BLOCK = 8192
_workers = ThreadPoolExecutor(max_workers=os.cpu_count() or 2, thread_name_prefix="exact")


def in_blocks(function: Callable[..., Any], *arrays: Any) -> Float64:
    """function over equal parts of arrays (N, …), joined again; the function must treat each sample for itself."""
    count = len(arrays[0])
    if count <= _BLOCK:
        return np.asarray(function(*arrays))
    parts = _workers.map(lambda start: function(*(a[start:start + _BLOCK] for a in arrays)), range(0, count, _BLOCK))
    return np.concatenate(list(parts))


def exact(operations: Sequence[Operation], values: Any) -> Float64:
    """The operations on values (N, 3), in float64."""
    listed = tuple(operations)
    return in_blocks(lambda part: run_reference(listed, part), np.asarray(values, dtype=np.float64))
