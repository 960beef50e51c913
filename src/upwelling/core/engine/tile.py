"""The tile engine: a list of operations run over small planar tiles that stay in the cache.

Each operation is one simple loop in a function of its own, so the compiler makes SIMD of it, adding or moving a step
never recompiles, and an edited operation compiles alone. The kernel below knows no operation: it calls addresses.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from llvmlite import ir
from numba import prange, types
from numba.extending import intrinsic

from upwelling.core.engine.layout import (
    CALL,
    COUNT,
    FIRST,
    LAYERS,
    LENGTH,
    PIXELS,
    PLACE,
    ROW_AT,
    SCRATCH,
    TABLES,
    TAPS,
    TILE,
    WORK,
)
from upwelling.core.kernels import parallel
from upwelling.core.kernels.vector_code import I64, LANES, deinterleave, interleave, load, store

CHUNKS = 64


def _between(planar: bool) -> Any:
    """Moves sixteen pixels from a picture to the planes of a tile, or back."""

    def generate(context: Any, b: Any, signature: Any, a: Any) -> Any:
        picture, work = (context.make_array(signature.args[k])(context, b, a[k]).data for k in (0, 2))
        places = [b.add(b.mul(a[1], I64(3)), I64(k * LANES)) for k in range(3)]
        planes = [b.add(a[3], I64(k * TILE)) for k in range(3)]
        source, froms, target, tos = (picture, places, work, planes) if planar else (work, planes, picture, places)
        turn = deinterleave if planar else interleave
        values = turn(b, [load(b, source, place, LANES) for place in froms], LANES)
        for value, place in zip(values, tos, strict=True):
            store(b, value, target, place)
        return context.get_dummy_value()

    def typed(typing_context: Any, picture: Any, pixel: Any, work: Any, slot: Any) -> Any:
        return types.void(picture, pixel, work, slot), generate

    return intrinsic(typed)


_apart, _together = _between(True), _between(False)


@intrinsic  # type: ignore[untyped-decorator]
def invoke(context: Any, address: Any, call: Any) -> Any:
    """Calls the operation at an address with the numbers of a call."""

    def generate(context: Any, b: Any, signature: Any, a: Any) -> Any:
        numbers = context.make_array(signature.args[1])(context, b, a[1]).data
        called = ir.FunctionType(ir.VoidType(), [ir.IntType(64).as_pointer()])
        b.call(b.inttoptr(a[0], called.as_pointer()), [numbers])
        return context.get_dummy_value()

    return types.void(address, call), generate


@parallel
def run_tiles(source: Any, addresses: Any, rows: Any, tables: Any, taps: Any, place: Any, target: Any) -> None:
    """source and target: (N, 3) float32 (may be the same array); addresses: int64 (K,); rows: float32 (K, ROW).

    tables: float32 (T,), where the curves of operations lie one after the other; taps: float32 (M, N, 3), written by
    Tap; place: see ``layout.place_row``.
    """
    count = source.shape[0]
    tiles = (count + TILE - 1) // TILE
    for chunk in prange(CHUNKS):
        work = np.empty((LAYERS, TILE), np.float32)
        work[:SCRATCH] = 0
        R, G, B = work[0], work[1], work[2]
        call = np.empty(CALL, np.int64)
        call[WORK], call[TABLES], call[LENGTH] = work.ctypes.data, tables.ctypes.data, tables.shape[0]
        call[TAPS], call[PIXELS], call[PLACE] = taps.ctypes.data, taps.shape[1], place.ctypes.data
        for tile in range(chunk * tiles // CHUNKS, (chunk + 1) * tiles // CHUNKS):
            start = tile * TILE
            n = min(start + TILE, count) - start
            whole = n - n % LANES
            for i in range(0, whole, LANES):
                _apart(source, np.int64(start + i), work, np.int64(i))
            for i in range(whole, n):
                R[i], G[i], B[i] = source[start + i, 0], source[start + i, 1], source[start + i, 2]
            call[FIRST], call[COUNT] = start, n
            for step in range(addresses.shape[0]):
                call[ROW_AT] = rows[step].ctypes.data
                invoke(addresses[step], call)
            for i in range(0, whole, LANES):
                _together(target, np.int64(start + i), work, np.int64(i))
            for i in range(whole, n):
                target[start + i, 0], target[start + i, 1], target[start + i, 2] = R[i], G[i], B[i]
