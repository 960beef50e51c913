"""How the tile engine calls an operation: one compiled function each, called by its address once a tile with the
address of a few numbers.

They say where things lie: ``work`` is float32 (LAYERS, TILE): 0–2 the tile's channels, 3–8 what is held in two slots, 9
the selection's weight, 10–29 scratch. Further the operation's row of parameters, the curves of a run, the pictures
taken out of it, where the picture lies (see ``place_row``), the tile's first pixel and how many it has.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from llvmlite import ir
from numba import carray, types
from numba.extending import intrinsic

from upwelling.core.kernels import inline
from upwelling.core.operations.base import Place

TILE = 1024
ROW = 64
"""Parameters an operation may have."""
LAYERS = 30
SCRATCH = 10
"""The first layer that operations write before they read it."""
MOST_TAPS = 8
PLACE_ROW = 8
_FLOATS = types.CPointer(types.float32)
SIGNATURE = types.void(types.CPointer(types.int64))
WORK, ROW_AT, TABLES, LENGTH, TAPS, PIXELS, PLACE, FIRST, COUNT, CALL = range(10)
"""What stands where in the numbers an operation is called with; CALL is how many there are."""


def place_row(place: Place | None, columns: int) -> Any:
    """float32 (PLACE_ROW,): left and top of the first pixel's middle from the frame's middle, the step, all in frame
    heights; columns.
    """
    row = np.zeros(PLACE_ROW, np.float32)
    if place is not None:
        x, y = place.along(1, 1)
        row[:4] = x[0], y[0], place.step / place.height, columns
    return row


@intrinsic  # type: ignore[untyped-decorator]
def _floats(context: Any, address: Any) -> Any:
    """A pointer to float32 numbers at an address."""

    def generate(context: Any, b: Any, signature: Any, a: Any) -> Any:
        return b.inttoptr(a[0], ir.FloatType().as_pointer())

    return _FLOATS(types.int64), generate


@inline
def _work(call: Any) -> Any:
    return carray(_floats(call[WORK]), (LAYERS, TILE))


@inline
def parameters(call: Any) -> Any:
    return carray(_floats(call[ROW_AT]), (ROW,))


@inline
def channels(call: Any) -> Any:
    return _work(call)[0:3]


@inline
def planes(call: Any) -> Any:
    work = _work(call)
    return work[0], work[1], work[2]


@inline
def flat_channels(call: Any) -> Any:
    return carray(_floats(call[WORK]), (3 * TILE,))


@inline
def held_channels(call: Any) -> Any:
    return _work(call)[3:9].reshape(6 * TILE)


@inline
def selection(call: Any) -> Any:
    return _work(call)[9]


@inline
def spare(call: Any) -> Any:
    return _work(call)[SCRATCH:LAYERS]


@inline
def curve_tables(call: Any) -> Any:
    return carray(_floats(call[TABLES]), (call[LENGTH],))


@inline
def tap_pictures(call: Any) -> Any:
    return carray(_floats(call[TAPS]), (MOST_TAPS, call[PIXELS], 3))


@inline
def where(call: Any) -> Any:
    return carray(_floats(call[PLACE]), (PLACE_ROW,))


@inline
def first(call: Any) -> Any:
    return call[FIRST]


@inline
def count(call: Any) -> Any:
    return call[COUNT]
