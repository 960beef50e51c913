"""Film for the tile engine: float32 twins of operations/film.py, curves read from tables."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np

from upwelling.core.arrays import MID_GREY, STOP
from upwelling.core.engine.kept_kernel import kept32
from upwelling.core.engine.layout import count, curve_tables, parameters, planes, spare
from upwelling.core.engine.read_kernel import read_row
from upwelling.core.engine.registry import Row, opcode, with_tables
from upwelling.core.engine.tables import Tables, closed
from upwelling.core.kernels import called
from upwelling.core.kernels.fastmath import exp2_fast, log2_fast
from upwelling.core.operations.film import (
    LEAST_EXPOSURE,
    LEAST_SHARE,
    Characteristic,
    Layers,
    Negative,
    Print,
    ReadNegative,
)

F = np.float32
ZERO, HALF, ONE, THIRD = F(0), F(0.5), F(1), F(1 / 3)
LEAST, SHARE = F(LEAST_EXPOSURE), F(LEAST_SHARE / 3)
LOG_GREY = F(np.log2(MID_GREY))
LOW, HIGH = -13.0, 15.0
"""Stops from mid grey that a negative's curve is sampled over."""
SEEN_LOW, SEEN_HIGH = -7.0, 7.0
"""log₁₀ of exposure that a print's is."""
CELLS = 4096


@called
def negative_tile(R: Any, G: Any, B: Any, S: Any, p: Any, tables: Any, n: Any) -> None:
    """Negative: p is overlap, flash (light), interlayer, and where the three curves begin in the tables."""
    overlap, flash, apart, own = p[0], p[1], p[2], ONE - p[0]
    X, Y, Z, U, V, W, PLACE = S[0], S[1], S[2], S[3], S[4], S[5], S[6]
    low, inv, cells = F(LOW), F(CELLS / (HIGH - LOW)), F(CELLS)
    for i in range(n):
        r, g, b = R[i], G[i], B[i]
        least = max(SHARE * (max(r, ZERO) + max(g, ZERO) + max(b, ZERO)), LEAST)
        over = HALF / least
        r, g, b = kept32(r, least, over), kept32(g, least, over), kept32(b, least, over)
        mean = overlap * (r + g + b) * THIRD + flash
        X[i], Y[i], Z[i] = log2_fast(own * r + mean) - LOG_GREY, log2_fast(own * g + mean) - LOG_GREY, log2_fast(own * b + mean) - LOG_GREY
    read_row(tables, np.int32(p[3]), low, inv, cells, X, U, PLACE, n)
    read_row(tables, np.int32(p[4]), low, inv, cells, Y, V, PLACE, n)
    read_row(tables, np.int32(p[5]), low, inv, cells, Z, W, PLACE, n)
    for i in range(n):
        mean = apart * (U[i] + V[i] + W[i]) * THIRD
        R[i] = U[i] * (ONE + apart) - mean
        G[i] = V[i] * (ONE + apart) - mean
        B[i] = W[i] * (ONE + apart) - mean


@called
def print_tile(R: Any, G: Any, B: Any, S: Any, p: Any, tables: Any, n: Any) -> None:
    """Print: p is the lights, the clearest, the dyes' rows, and where the three curves begin; the rows turn density into log₂."""
    lr, lg, lb, cr, cg, cb = p[0], p[1], p[2], p[3], p[4], p[5]
    a0, a1, a2, a3, a4, a5, a6, a7, a8 = p[6], p[7], p[8], p[9], p[10], p[11], p[12], p[13], p[14]
    X, Y, Z, U, V, W, PLACE = S[0], S[1], S[2], S[3], S[4], S[5], S[6]
    low, inv, cells = F(SEEN_LOW), F(CELLS / (SEEN_HIGH - SEEN_LOW)), F(CELLS)
    for i in range(n):
        X[i], Y[i], Z[i] = lr - R[i], lg - G[i], lb - B[i]
    read_row(tables, np.int32(p[15]), low, inv, cells, X, U, PLACE, n)
    read_row(tables, np.int32(p[16]), low, inv, cells, Y, V, PLACE, n)
    read_row(tables, np.int32(p[17]), low, inv, cells, Z, W, PLACE, n)
    for i in range(n):
        x, y, z = cr - U[i], cg - V[i], cb - W[i]
        R[i] = exp2_fast(a0 * x + a1 * y + a2 * z)
        G[i] = exp2_fast(a3 * x + a4 * y + a5 * z)
        B[i] = exp2_fast(a6 * x + a7 * y + a8 * z)


@lru_cache(maxsize=64)
def _table(curve: Characteristic, low: float, high: float) -> Any:
    """A curve over log₁₀ exposure."""
    return closed(curve(np.linspace(low, high, CELLS + 1)))


def _starts(layers: Layers, low: float, high: float, tables: Tables) -> list[float]:
    """Where each layer's curve begins; like layers share one, which then stays in the processor's nearest memory."""
    at = {curve: tables.add(_table(curve, low, high)) for curve in dict.fromkeys(layers)}
    return [at[curve] for curve in layers]


def _negative_row(op: Negative, tables: Tables) -> Row:
    starts = _starts(op.layers, LOW * STOP, HIGH * STOP, tables)
    return [op.overlap, op.flash * MID_GREY, op.interlayer, *starts]


def _print_row(op: Print, tables: Tables) -> Row:
    starts = _starts(op.layers, SEEN_LOW, SEEN_HIGH, tables)
    shares = [v / STOP for row in op.dyes for v in row]
    return [*op.lights, *op.clearest, *shares, *starts]


@with_tables(Negative, _negative_row)
def negative(call: Any) -> None:
    """Negative."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    scratch = spare(call)
    tables = curve_tables(call)
    negative_tile(R, G, B, scratch, p, tables, n)


@with_tables(Print, _print_row)
def printed(call: Any) -> None:
    """Print."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    scratch = spare(call)
    tables = curve_tables(call)
    print_tile(R, G, B, scratch, p, tables, n)


def _read_row(op: ReadNegative) -> Row:
    scales = [MID_GREY / (10 ** (grey / gamma) - 1) for grey, gamma in zip(op.of_grey, op.gammas, strict=True)]
    return [*(1 / (gamma * STOP) for gamma in op.gammas), *scales]


@opcode(ReadNegative, _read_row)
def read_negative(call: Any) -> None:
    """ReadNegative: p is 1/γ of each layer in log₂, and the scale of each."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    for i in range(n):
        R[i] = p[3] * (exp2_fast(p[0] * R[i]) - ONE)
        G[i] = p[4] * (exp2_fast(p[1] * G[i]) - ONE)
        B[i] = p[5] * (exp2_fast(p[2] * B[i]) - ONE)
