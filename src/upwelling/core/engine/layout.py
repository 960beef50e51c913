"""How the tile engine calls an operation: one signature, one compiled function each, called by its address once a tile.

``work`` is float32 (LAYERS, TILE): 0–2 the tile's channels, 3–8 what is held in two slots, 9 the selection's weight,
10–29 scratch. ``row`` holds the operation's parameters, ``tables_at`` the curves of a run, ``taps_at`` the pictures
taken out of it, ``place_at`` where the picture lies (see ``place_row``). ``start`` is the tile's first pixel and ``n``
how many pixels it has.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numba import carray, cfunc, types

from upwelling.core.kernels import KERNEL_LOCK, cached, inline
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
SIGNATURE = types.void(_FLOATS, _FLOATS, _FLOATS, types.int64, _FLOATS, types.int64, _FLOATS, types.int64, types.int64)
"""work, row, tables, their length, taps, pixels of a tap, place, first pixel of the tile, pixels in the tile."""


class Opcode:
    """An operation's machine code: compiled, or loaded from the cache, when a program first needs it."""

    def __init__(self, function: Callable[..., None]) -> None:
        self.function = function
        self.name = function.__name__
        self._compiled: Any = None

    @property
    def address(self) -> int:
        """Where the compiled function lies in this process. Once it does, nobody waits for a running kernel to ask."""
        if self._compiled is None:
            with KERNEL_LOCK:
                if self._compiled is None:
                    declare = cfunc(SIGNATURE, fastmath=True, error_model="numpy", cache=True)
                    self._compiled = cached(self.function, lambda: declare(self.function))
        return int(self._compiled.address)

    def __repr__(self) -> str:
        return f"<opcode {self.name}>"


def opcode(function: Callable[..., None]) -> Opcode:
    """Declares a function of the signature above as an operation of the tile engine."""
    return Opcode(function)


def place_row(place: Place | None, columns: int) -> Any:
    """float32 (PLACE_ROW,): left and top of the first pixel's middle from the frame's middle, the step, all in frame
    heights; columns.
    """
    row = np.zeros(PLACE_ROW, np.float32)
    if place is not None:
        x, y = place.along(1, 1)
        row[:4] = x[0], y[0], place.step / place.height, columns
    return row


@inline
def parameters(row: Any) -> Any:
    return carray(row, (ROW,))


@inline
def channels(work: Any) -> Any:
    return carray(work, (LAYERS, TILE))[0:3]


@inline
def flat_channels(work: Any) -> Any:
    return carray(work, (3 * TILE,))


@inline
def held_channels(work: Any) -> Any:
    return carray(work, (LAYERS, TILE))[3:9].reshape(6 * TILE)


@inline
def selection(work: Any) -> Any:
    return carray(work, (LAYERS, TILE))[9]


@inline
def spare(work: Any) -> Any:
    return carray(work, (LAYERS, TILE))[SCRATCH:LAYERS]


@inline
def curve_tables(tables_at: Any, length: Any) -> Any:
    return carray(tables_at, (length,))


@inline
def tap_pictures(taps_at: Any, pixels: Any) -> Any:
    return carray(taps_at, (MOST_TAPS, pixels, 3))


@inline
def where(place_at: Any) -> Any:
    return carray(place_at, (PLACE_ROW,))
