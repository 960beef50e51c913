"""Runs a program over an array."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from upwelling.core.arrays import Float32, as_rgb
from upwelling.core.engine.compile import AsideApart, MixedApart, Program, TablePart, Tiles, Weights, compile_operations
from upwelling.core.engine.layout import place_row
from upwelling.core.engine.tile import run_tiles
from upwelling.core.kernels import KERNEL_LOCK
from upwelling.core.operations.base import Place, check_place
from upwelling.core.operations.time_mean import TimeMean

CHUNKS_A_TURN = 4
"""Chunks of a picture that a core takes at once. Whole halves would wait for the core that something else works on:
beside a browser that draws, a picture took 1.15 times as long."""
_NO_TAPS = np.zeros((1, 1, 3), np.float32)


def run(
    program: Program, rgb: Any, out: Float32 | None = None, taps: Float32 | None = None, place: Place | None = None
) -> Float32:
    """The program's result, float32, same shape as ``rgb`` (…, 3), which is left as it is.

    ``out``, of that shape and contiguous, is written and returned when given: fresh memory costs as much as a few
    operations. ``taps`` (M, …, 3), contiguous, takes what the program's Tap operations hand out. ``place`` says where a
    picture (H, W, 3) lies; a program that needs it raises PlaceNeeded without.
    """
    value = np.ascontiguousarray(as_rgb(rgb, dtype=np.float32))
    if not value.flags.writeable:
        value = value.copy()  # a read-only array is another type to the compiler, which would take its time for it
    check_place(program.needs, value.shape, place)
    where = place_row(place, value.shape[-2] if value.ndim > 1 else 1)
    tapped = _NO_TAPS if taps is None else taps.reshape(len(taps), -1, 3)
    for part in program.parts:
        if isinstance(part, Tiles):
            target = np.empty_like(value) if out is None else out
            _tile_run(part, value, tapped, where, target)
            value = target
        elif isinstance(part, TablePart):
            value = part.lut.apply(value, part.interpolation)
        elif isinstance(part, Weights):
            value = np.repeat(_weight(part, value, where, place), 3, axis=-1)
        elif isinstance(part, MixedApart):
            value = _mixed(part, value, where, place)
        elif isinstance(part, AsideApart):
            run(part.inner, value, taps=taps, place=place)
        elif isinstance(part, TimeMean):
            assert place is not None
            led_up = compile_operations(part.before)
            value = part.mixed(value, [run(led_up, code, place=place) for code in part.codes(value.shape, place)])
        else:
            assert place is not None
            value = part.run_at(value, place)
    if out is not None and value is not out:
        out[...] = value
        return out
    return value


def _weight(part: Weights, value: Float32, where: Any, place: Place | None) -> Float32:
    """A matte's weights (…, 1)."""
    shown = np.empty_like(value)
    _tile_run(part.joined, value, _NO_TAPS, where, shown)
    weight = np.ascontiguousarray(shown[..., 0])
    return (part.matte.soften(weight, place) if part.matte.softened and place else weight)[..., None]


def _mixed(part: MixedApart, value: Float32, where: Any, place: Place | None) -> Float32:
    before = run(part.into, value, place=place) if part.into else value
    after = run(part.inner, before, place=place)
    mixed = part.mixed
    if mixed.rule is not None:
        after = mixed.rule.mixed(before.astype(np.float64), after.astype(np.float64)).astype(np.float32)
    if mixed.taken_whole:
        return after
    weight = _weight(part.weights, value, where, place) if part.weights else np.float32(1)
    return before + np.float32(mixed.strength) * weight * (after - before)


def _tile_run(part: Tiles, value: Float32, tapped: Float32, where: Any, target: Float32) -> None:
    with KERNEL_LOCK, numba.parallel_chunksize(CHUNKS_A_TURN):
        run_tiles(value.reshape(-1, 3), part.addresses, part.rows, part.tables, tapped, where, target.reshape(-1, 3))
