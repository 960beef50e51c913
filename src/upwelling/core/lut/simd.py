"""Tetrahedral and trilinear interpolation with 16-lane index arithmetic, as generic LLVM vector code (no processor's
own intrinsics).

Sixteen pixels are taken apart into channels, their lattice offsets and weights are found side by side, and each
lattice point is read as one 16-byte row from a table padded to four floats. Not a number and −∞ count as 0, +∞ as 1.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from llvmlite import ir
from numba import prange, types
from numba.extending import intrinsic

from upwelling.core.kernels import parallel

LANES = 16
_F32, _I32, _I64 = ir.FloatType(), ir.IntType(32), ir.IntType(64)
_FAST = ("fast",)


def _vector(element: Any, lanes: int) -> Any:
    return ir.VectorType(element, lanes)


def _undefined(vector_type: Any) -> Any:
    return ir.Constant(vector_type, ir.Undefined)


def _constant(value: float, lanes: int) -> Any:
    return ir.Constant(_vector(_F32, lanes), [value] * lanes)


def _shuffle(b: Any, x: Any, y: Any, order: list[int]) -> Any:
    return b.shuffle_vector(x, y, ir.Constant(_vector(_I32, len(order)), order))


def _splat(b: Any, x: Any, lanes: int) -> Any:
    first = b.insert_element(_undefined(_vector(x.type, lanes)), x, _I32(0))
    return _shuffle(b, first, _undefined(first.type), [0] * lanes)


def _least(b: Any, x: Any, y: Any) -> Any:
    return b.select(b.fcmp_ordered("<", x, y), x, y)


def _greatest(b: Any, x: Any, y: Any) -> Any:
    return b.select(b.fcmp_ordered(">", x, y), x, y)  # not a number in x gives y


def _load(b: Any, pointer: Any, offset: Any, lanes: int) -> Any:
    place = b.gep(pointer, [offset])
    value = b.load(b.bitcast(place, _vector(_F32, lanes).as_pointer()))
    value.align = 4
    return value


def _store(b: Any, value: Any, pointer: Any, offset: Any) -> None:
    place = b.gep(pointer, [offset])
    b.store(value, b.bitcast(place, value.type.as_pointer())).align = 4


def _stream(b: Any, value: Any, pointer: Any, offset: Any) -> None:
    """Stored past the cache, to a place at 16 bytes: lines of a picture that the cache cannot hold are not read first."""
    place = b.gep(pointer, [offset])
    stored = b.store(value, b.bitcast(place, value.type.as_pointer()))
    stored.align = 16
    stored.set_metadata("nontemporal", b.module.add_metadata([ir.Constant(_I32, 1)]))


def _deinterleave(b: Any, parts: list[Any], lanes: int) -> list[Any]:
    first_two = _shuffle(b, parts[0], parts[1], list(range(2 * lanes)))
    third = _shuffle(b, parts[2], parts[2], list(range(lanes)) + [0] * lanes)
    return [_shuffle(b, first_two, third, [3 * j + k for j in range(lanes)]) for k in range(3)]


def _cells_and_fractions(b: Any, rgb: list[Any], lanes: int, last: Any, last_cell: Any) -> Any:
    zero, one, scale, top = (
        _constant(0.0, lanes),
        _constant(1.0, lanes),
        _splat(b, last, lanes),
        _splat(b, last_cell, lanes),
    )
    cells, fractions = [], []
    for x in rgb:
        scaled = b.fmul(_least(b, _greatest(b, x, zero), one), scale)
        cell = b.fptosi(scaled, _vector(_I32, lanes))
        cell = b.select(b.icmp_signed("<", cell, top), cell, top)
        cells.append(cell)
        fractions.append(b.fsub(scaled, b.sitofp(cell, _vector(_F32, lanes))))
    return cells, fractions


def _offsets_and_weights(b: Any, rgb: list[Any], lanes: int, last: Any, last_cell: Any, strides: Any) -> Any:
    one = _constant(1.0, lanes)
    cells, (r, g, bl) = _cells_and_fractions(b, rgb, lanes, last, last_cell)
    sr, sg, sb = (_splat(b, s, lanes) for s in strides)
    base = b.add(b.add(b.mul(cells[0], sr), b.mul(cells[1], sg)), b.mul(cells[2], sb))
    far = b.add(base, b.add(b.add(sr, sg), sb))
    low, high = _least(b, r, g), _greatest(b, r, g)
    most, least = _greatest(b, high, bl), _least(b, low, bl)
    middle = _greatest(b, low, _least(b, high, bl))
    green_first = b.fcmp_ordered(">=", g, bl)
    step_most = b.select(b.fcmp_ordered("==", r, most), sr, b.select(green_first, sg, sb))
    step_least = b.select(b.fcmp_ordered("==", r, least), sr, b.select(green_first, sb, sg))
    offsets = (base, b.add(base, step_most), b.sub(far, step_least), far)
    weights = (b.fsub(one, most), b.fsub(most, middle), b.fsub(middle, least), least)
    return offsets, weights


def _weighted_sum(b: Any, rows: list[Any], weights: list[Any]) -> Any:
    total = b.fmul(rows[0], weights[0], flags=_FAST)
    for row, weight in zip(rows[1:], weights[1:], strict=True):
        total = b.fadd(total, b.fmul(row, weight, flags=_FAST), flags=_FAST)
    return total


def _corners(b: Any, rgb: list[Any], lanes: int, last: Any, last_cell: Any, strides: Any) -> Any:
    """Offsets of the cell's eight corners, blue fastest, and the three fractions."""
    cells, fractions = _cells_and_fractions(b, rgb, lanes, last, last_cell)
    steps = [_splat(b, s, lanes) for s in strides]
    offsets = [b.add(b.add(b.mul(cells[0], steps[0]), b.mul(cells[1], steps[1])), b.mul(cells[2], steps[2]))]
    for step in steps:
        offsets = [place for offset in offsets for place in (offset, b.add(offset, step))]
    return offsets, fractions


def _between(b: Any, near: Any, far: Any, share: Any) -> Any:
    return b.fadd(near, b.fmul(b.fsub(far, near, flags=_FAST), share, flags=_FAST), flags=_FAST)


def _four_of_sixteen(b: Any, lattice: Any, offsets: Any, weights: Any, j: int, trilinear: bool) -> Any:
    rows = [_load(b, lattice, b.sext(b.extract_element(o, _I32(j)), _I64), 4) for o in offsets]
    spread = [_shuffle(b, w, _undefined(w.type), [j] * 4) for w in weights]
    if not trilinear:
        return _weighted_sum(b, rows, spread)
    for share in reversed(spread):
        rows = [_between(b, near, far, share) for near, far in zip(rows[::2], rows[1::2], strict=True)]
    return rows[0]


def _generator(trilinear: bool, put: Any = _store) -> Any:
    def generate(context: Any, b: Any, signature: Any, a: Any) -> Any:
        def data(k: int) -> Any:
            return context.make_array(signature.args[k])(context, b, a[k]).data

        offset, source, lattice, target = b.mul(a[1], _I64(3)), data(0), data(2), data(8)
        parts = [_load(b, source, b.add(offset, _I64(k * LANES)), LANES) for k in range(3)]
        find = _corners if trilinear else _offsets_and_weights
        offsets, weights = find(b, _deinterleave(b, parts, LANES), LANES, a[3], a[4], a[5:8])
        pixels = [_four_of_sixteen(b, lattice, offsets, weights, j, trilinear) for j in range(LANES)]
        for q in range(0, LANES, 4):
            p0, p1, p2, p3 = pixels[q : q + 4]
            place = b.add(offset, _I64(q * 3))
            put(b, _shuffle(b, p0, p1, [0, 1, 2, 4]), target, place)
            put(b, _shuffle(b, p1, p2, [1, 2, 4, 5]), target, b.add(place, _I64(4)))
            put(b, _shuffle(b, p2, p3, [2, 4, 5, 6]), target, b.add(place, _I64(8)))
        return context.get_dummy_value()

    return generate


def _block(trilinear: bool, put: Any = _store) -> Any:
    """Sixteen pixels of a flat image through a table, stored by ``put``."""

    def typed(
        typing_context: Any,
        image: Any,
        pixel: Any,
        table: Any,
        last: Any,
        last_cell: Any,
        stride_r: Any,
        stride_g: Any,
        stride_b: Any,
        out: Any,
    ) -> Any:
        signature = types.void(image, pixel, table, last, last_cell, stride_r, stride_g, stride_b, out)
        return signature, _generator(trilinear, put)

    return intrinsic(typed)


_sixteen, _sixteen_stream = _block(False), _block(False, _stream)
_sixteen_trilinear, _sixteen_trilinear_stream = _block(True), _block(True, _stream)


@parallel
def tetrahedral_simd(image: Any, table: Any, size: Any, out: Any, stream: Any) -> None:
    """image, out: flat float32 of at least 16 pixels, not the same array; table: flat float32 size³ × 4, red slowest.

    The last block overlaps the one before instead of running a tail. ``stream`` stores past the cache; ``out`` must begin
    at 16 bytes then.
    """
    count = image.size // 3
    blocks = (count + 15) // 16
    last, last_cell = np.float32(size - 1), np.int32(size - 2)
    stride_b, stride_g, stride_r = np.int32(4), np.int32(4 * size), np.int32(4 * size * size)
    if count >= 16:
        for group in prange((blocks + 255) // 256):
            for j in range(group * 256, min(group * 256 + 256, blocks)):
                pixel = np.int64(min(j * 16, count - 16))
                if stream and pixel == j * 16:
                    _sixteen_stream(image, pixel, table, last, last_cell, stride_r, stride_g, stride_b, out)
                else:
                    _sixteen(image, pixel, table, last, last_cell, stride_r, stride_g, stride_b, out)


@parallel
def trilinear_simd(image: Any, table: Any, size: Any, out: Any, stream: Any) -> None:
    """As ``tetrahedral_simd``, between all eight corners of the cell."""
    count = image.size // 3
    blocks = (count + 15) // 16
    last, last_cell = np.float32(size - 1), np.int32(size - 2)
    stride_b, stride_g, stride_r = np.int32(4), np.int32(4 * size), np.int32(4 * size * size)
    if count >= 16:
        for group in prange((blocks + 255) // 256):
            for j in range(group * 256, min(group * 256 + 256, blocks)):
                pixel = np.int64(min(j * 16, count - 16))
                if stream and pixel == j * 16:
                    _sixteen_trilinear_stream(image, pixel, table, last, last_cell, stride_r, stride_g, stride_b, out)
                else:
                    _sixteen_trilinear(image, pixel, table, last, last_cell, stride_r, stride_g, stride_b, out)
