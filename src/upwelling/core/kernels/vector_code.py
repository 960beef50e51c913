"""Generic LLVM vector code (no processor's own intrinsics) that kernels are put together from."""

from __future__ import annotations

from typing import Any

from llvmlite import ir

F32, I32, I64 = ir.FloatType(), ir.IntType(32), ir.IntType(64)
LANES = 16
"""Pixels whose channels are taken apart, and put together, at once."""
_BYTE = ir.IntType(8).as_pointer()
_PREFETCH = ir.FunctionType(ir.VoidType(), [_BYTE, I32, I32, I32])


def vector(element: Any, lanes: int) -> Any:
    return ir.VectorType(element, lanes)


def constant(value: float, lanes: int) -> Any:
    return ir.Constant(vector(F32, lanes), [value] * lanes)


def shuffle(b: Any, x: Any, y: Any, order: list[int]) -> Any:
    return b.shuffle_vector(x, y, ir.Constant(vector(I32, len(order)), order))


def splat(b: Any, x: Any, lanes: int) -> Any:
    undefined = ir.Constant(vector(x.type, lanes), ir.Undefined)
    return shuffle(b, b.insert_element(undefined, x, I32(0)), undefined, [0] * lanes)


def least(b: Any, x: Any, y: Any) -> Any:
    return b.select(b.fcmp_ordered("<", x, y), x, y)


def greatest(b: Any, x: Any, y: Any) -> Any:
    return b.select(b.fcmp_ordered(">", x, y), x, y)  # not a number in x gives y


def load(b: Any, pointer: Any, offset: Any, lanes: int) -> Any:
    """Neighbouring float32 at any place."""
    place = b.gep(pointer, [offset])
    value = b.load(b.bitcast(place, vector(F32, lanes).as_pointer()))
    value.align = 4
    return value


def store(b: Any, value: Any, pointer: Any, offset: Any) -> None:
    place = b.gep(pointer, [offset])
    b.store(value, b.bitcast(place, value.type.as_pointer())).align = 4


def stream(b: Any, value: Any, pointer: Any, offset: Any) -> None:
    """Stored past the cache, to a place at 16 bytes: lines that the cache cannot hold are not read first."""
    place = b.gep(pointer, [offset])
    stored = b.store(value, b.bitcast(place, value.type.as_pointer()))
    stored.align = 16
    stored.set_metadata("nontemporal", b.module.add_metadata([ir.Constant(I32, 1)]))


def ask_ahead(b: Any, pointer: Any, offset: Any) -> None:
    """Has the cache fetch the line of a place that is read later; one beyond the array does nothing."""
    name = "llvm.prefetch.p0"
    fetch = b.module.globals.get(name) or ir.Function(b.module, _PREFETCH, name)
    read, keep_close, data = I32(0), I32(3), I32(1)
    b.call(fetch, [b.bitcast(b.gep(pointer, [offset]), _BYTE), read, keep_close, data])


def deinterleave(b: Any, parts: list[Any], lanes: int) -> list[Any]:
    """Red, green and blue of as many pixels as lanes, from the three vectors that hold them in turns."""
    first_two = shuffle(b, parts[0], parts[1], list(range(2 * lanes)))
    third = shuffle(b, parts[2], parts[2], list(range(lanes)) + [0] * lanes)
    return [shuffle(b, first_two, third, [3 * j + k for j in range(lanes)]) for k in range(3)]


def interleave(b: Any, channels: list[Any], lanes: int) -> list[Any]:
    """What ``deinterleave`` takes apart."""
    red_green = shuffle(b, channels[0], channels[1], list(range(2 * lanes)))
    blue = shuffle(b, channels[2], channels[2], list(range(lanes)) + [0] * lanes)
    order = [k * lanes + j for j in range(lanes) for k in range(3)]
    return [shuffle(b, red_green, blue, order[k * lanes : (k + 1) * lanes]) for k in range(3)]
