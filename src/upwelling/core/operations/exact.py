"""The exact path over many samples: float64, in blocks that stay in the processor's cache, on all cores."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.operations import Operation, Place, needs_of, run_reference
from upwelling.core.operations.base import check_place

_BLOCK, _BAND = 8192, 16
"""Samples, or rows of a picture, that are run together."""
_workers = ThreadPoolExecutor(max_workers=os.cpu_count() or 2, thread_name_prefix="exact")


def in_blocks(function: Callable[..., Any], *arrays: Any) -> Float64:
    """function over equal parts of arrays (N, …), joined again; the function must treat each sample for itself."""
    count = len(arrays[0])
    if count <= _BLOCK:
        return np.asarray(function(*arrays))
    parts = _workers.map(lambda start: function(*(a[start : start + _BLOCK] for a in arrays)), range(0, count, _BLOCK))
    return np.concatenate(list(parts))


def exact(operations: Sequence[Operation], values: Any, place: Place | None = None) -> Float64:
    """The exact output of values (…, 3), or of a picture (H, W, 3) that lies at ``place``; in bands where no pixel
    needs another.
    """
    listed, given = tuple(operations), np.asarray(values, dtype=np.float64)
    needs = needs_of(listed)
    if not needs:
        return in_blocks(lambda part: run_reference(listed, part), given.reshape(-1, 3)).reshape(given.shape)
    check_place(needs, given.shape, place)
    assert place is not None
    if "neighbours" in needs:
        return run_reference(listed, given, place)
    parts = _workers.map(
        lambda top: run_reference(listed, given[top : top + _BAND], place.part(top, 0)), range(0, len(given), _BAND)
    )
    return np.concatenate(list(parts))
