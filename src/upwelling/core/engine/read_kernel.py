"""Curves of a run, read as tables with linear interpolation."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.kernels import called

F = np.float32
ZERO = F(0)


@called
def read_row(tables: Any, start: Any, low: Any, inv_cell: Any, cells: Any, X: Any, out: Any, place: Any, n: Any) -> None:
    """The table of cells + 1 values that begins at ``start`` at the places X, held beyond its ends.

    ``out`` and ``place``, a row of scratch, are other rows than X: where rows overlap the loops are not SIMD. Places
    are found side by side and written down; found and read in one loop they are taken one by one, which takes twice as
    long. They are held as whole numbers too: what is not a number must not be read beyond the table. No sign: a place
    below 0 would be asked about each time.
    """
    top = np.int32(cells)
    for i in range(n):
        t = min(max((X[i] - low) * inv_cell, ZERO), cells)
        cell = F(min(max(np.int32(t), np.int32(0)), top))
        place[i] = cell
        out[i] = t - cell
    for i in range(n):
        at = np.uint64(start + np.int32(place[i]))
        a = tables[at]
        out[i] = a + out[i] * (tables[at + np.uint64(1)] - a)
