"""Tetrahedral and trilinear interpolation in two passes over runs of pixels.

First sixteen pixels at a time are taken apart into channels, and their places in the table and their weights are found
side by side and written down; then four pixels at a time read both back as single numbers, and each lattice point as one
row of the table, which is padded to four floats. Read from memory, a number is spread over a vector for nothing; taken
out of a vector it costs two shuffles, which was half of the time. While the second pass runs, the pixels of the next run
are asked for. Not a number and −∞ count as 0, +∞ as 1.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange, types
from numba.extending import intrinsic

from upwelling.core.kernels import parallel
from upwelling.core.kernels.vector_code import (
    F32,
    I32,
    I64,
    LANES,
    ask_ahead,
    constant,
    deinterleave,
    greatest,
    least,
    load,
    shuffle,
    splat,
    store,
    stream,
    vector,
)

RUN = 256
"""Pixels that both passes take in turn: what is written down between them stays in the nearest cache. Measured."""
_FAST = ("fast",)


def _cells_and_fractions(b: Any, rgb: list[Any], last: Any, last_cell: Any) -> Any:
    zero, one = constant(0.0, LANES), constant(1.0, LANES)
    scale, top = splat(b, last, LANES), splat(b, last_cell, LANES)
    cells, fractions = [], []
    for x in rgb:
        scaled = b.fmul(least(b, greatest(b, x, zero), one), scale)
        cell = b.fptosi(scaled, vector(I32, LANES))
        cell = b.select(b.icmp_signed("<", cell, top), cell, top)
        cells.append(cell)
        fractions.append(b.fsub(scaled, b.sitofp(cell, vector(F32, LANES))))
    return cells, fractions


def _near_corner(b: Any, rgb: list[Any], last: Any, last_cell: Any, strides: Any) -> Any:
    """Place of the cell's first corner, and the three fractions."""
    cells, fractions = _cells_and_fractions(b, rgb, last, last_cell)
    sr, sg, sb = strides
    return (b.add(b.add(b.mul(cells[0], sr), b.mul(cells[1], sg)), b.mul(cells[2], sb)),), fractions


def _way_through(b: Any, rgb: list[Any], last: Any, last_cell: Any, strides: Any) -> Any:
    """Places of the first three corners on the way from the cell's near corner to its far one, and four weights."""
    (base,), (r, g, bl) = _near_corner(b, rgb, last, last_cell, strides)
    sr, sg, sb = strides
    far = b.add(base, b.add(b.add(sr, sg), sb))
    low, high = least(b, r, g), greatest(b, r, g)
    most, fewest = greatest(b, high, bl), least(b, low, bl)
    middle = greatest(b, low, least(b, high, bl))
    green_first = b.fcmp_ordered(">=", g, bl)
    step_most = b.select(b.fcmp_ordered("==", r, most), sr, b.select(green_first, sg, sb))
    step_fewest = b.select(b.fcmp_ordered("==", r, fewest), sr, b.select(green_first, sb, sg))
    places = (base, b.add(base, step_most), b.sub(far, step_fewest))
    return places, (b.fsub(constant(1.0, LANES), most), b.fsub(most, middle), b.fsub(middle, fewest), fewest)


def _finder(trilinear: bool) -> Any:
    """First pass: places and weights of sixteen pixels, each kind in a row of its own of ``RUN``."""

    def generate(context: Any, b: Any, signature: Any, a: Any) -> Any:
        image, places, weights = (context.make_array(signature.args[k])(context, b, a[k]).data for k in (0, 7, 8))
        first = b.mul(a[1], I64(3))
        parts = [load(b, image, b.add(first, I64(k * LANES)), LANES) for k in range(3)]
        strides = [splat(b, stride, LANES) for stride in a[4:7]]
        find = _near_corner if trilinear else _way_through
        found = find(b, deinterleave(b, parts, LANES), a[2], a[3], strides)
        for rows, target in zip(found, (places, weights), strict=True):
            for k, row in enumerate(rows):
                store(b, row, target, b.add(a[9], I64(k * RUN)))
        return context.get_dummy_value()

    def typed(
        typing_context: Any,
        image: Any,
        pixel: Any,
        last: Any,
        last_cell: Any,
        stride_r: Any,
        stride_g: Any,
        stride_b: Any,
        places: Any,
        weights: Any,
        slot: Any,
    ) -> Any:
        given = (image, pixel, last, last_cell, stride_r, stride_g, stride_b, places, weights, slot)
        return types.void(*given), generate

    return intrinsic(typed)


def _between(b: Any, near: Any, far: Any, share: Any) -> Any:
    return b.fadd(near, b.fmul(b.fsub(far, near, flags=_FAST), share, flags=_FAST), flags=_FAST)


def _number(b: Any, row: Any, slot: Any, k: int) -> Any:
    return b.load(b.gep(row, [b.add(slot, I64(k * RUN))]))


def _tetrahedral_pixel(b: Any, table: Any, places: Any, weights: Any, slot: Any, strides: Any) -> Any:
    corners = [b.sext(_number(b, places, slot, k), I64) for k in range(3)]
    corners.append(b.add(corners[0], b.sext(b.add(b.add(strides[0], strides[1]), I32(4)), I64)))
    total = None
    for k, corner in enumerate(corners):
        share = splat(b, _number(b, weights, slot, k), 4)
        part = b.fmul(load(b, table, corner, 4), share, flags=_FAST)
        total = part if total is None else b.fadd(total, part, flags=_FAST)
    return total


def _trilinear_pixel(b: Any, table: Any, places: Any, weights: Any, slot: Any, strides: Any) -> Any:
    """Two lattice points that differ in blue are neighbours, and are read as one."""
    red, green = (b.sext(stride, I64) for stride in strides)
    near = b.sext(_number(b, places, slot, 0), I64)
    far = b.add(near, red)
    share_r, share_g = (splat(b, _number(b, weights, slot, k), 8) for k in range(2))
    near_edge, far_edge = (
        _between(b, load(b, table, b.add(near, step), 8), load(b, table, b.add(far, step), 8), share_r)
        for step in (I64(0), green)
    )
    pair = _between(b, near_edge, far_edge, share_g)
    low, high = (shuffle(b, pair, pair, list(range(k, k + 4))) for k in (0, 4))
    return _between(b, low, high, splat(b, _number(b, weights, slot, 2), 4))


def _mixer(trilinear: bool) -> Any:
    """Second pass: four pixels from the places and weights found, stored past the cache or not."""

    def generate(context: Any, b: Any, signature: Any, a: Any) -> Any:
        def data(k: int) -> Any:
            return context.make_array(signature.args[k])(context, b, a[k]).data

        table, places, weights, target, image = (data(k) for k in (0, 1, 2, 4, 8))
        mixed = _trilinear_pixel if trilinear else _tetrahedral_pixel
        pixels = [mixed(b, table, places, weights, b.add(a[3], I64(j)), a[6:8]) for j in range(4)]
        place = b.mul(a[5], I64(3))
        ask_ahead(b, image, b.add(place, I64(3 * RUN)))
        orders = ([0, 1, 2, 4], [1, 2, 4, 5], [2, 4, 5, 6])
        rows = [shuffle(b, pixels[k], pixels[k + 1], order) for k, order in enumerate(orders)]
        with b.if_else(a[9]) as branches:
            for branch, put in zip(branches, (stream, store), strict=True):
                with branch:
                    for k, row in enumerate(rows):
                        put(b, row, target, b.add(place, I64(4 * k)))
        return context.get_dummy_value()

    def typed(
        typing_context: Any,
        table: Any,
        places: Any,
        weights: Any,
        slot: Any,
        out: Any,
        pixel: Any,
        stride_r: Any,
        stride_g: Any,
        image: Any,
        past_cache: Any,
    ) -> Any:
        given = (table, places, weights, slot, out, pixel, stride_r, stride_g, image, past_cache)
        return types.void(*given), generate

    return intrinsic(typed)


_find_tetrahedral, _find_trilinear = _finder(False), _finder(True)
_mix_tetrahedral, _mix_trilinear = _mixer(False), _mixer(True)


@parallel
def interpolate(image: Any, table: Any, size: Any, out: Any, trilinear: Any, past_cache: Any) -> None:
    """image, out: flat float32 of at least ``RUN`` pixels, not the same array; table: flat float32 size³ × 4, red slowest.

    The last run overlaps the one before instead of being shorter. ``past_cache``: ``out`` must begin at 16 bytes then.
    """
    count = image.size // 3
    runs = (count + RUN - 1) // RUN
    last, last_cell = np.float32(size - 1), np.int32(size - 2)
    sb, sg, sr = np.int32(4), np.int32(4 * size), np.int32(4 * size * size)
    if count >= RUN:
        for group in prange((runs + 15) // 16):
            places, weights = np.empty(3 * RUN, np.int32), np.empty(4 * RUN, np.float32)
            for run in range(group * 16, min(group * 16 + 16, runs)):
                first = np.int64(min(run * RUN, count - RUN))
                streamed = past_cache and first == run * RUN
                if trilinear:
                    for j in range(0, RUN, 16):
                        _find_trilinear(image, first + j, last, last_cell, sr, sg, sb, places, weights, np.int64(j))
                    for j in range(0, RUN, 4):
                        _mix_trilinear(table, places, weights, np.int64(j), out, first + j, sr, sg, image, streamed)
                else:
                    for j in range(0, RUN, 16):
                        _find_tetrahedral(image, first + j, last, last_cell, sr, sg, sb, places, weights, np.int64(j))
                    for j in range(0, RUN, 4):
                        _mix_tetrahedral(table, places, weights, np.int64(j), out, first + j, sr, sg, image, streamed)
