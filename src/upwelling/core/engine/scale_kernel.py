"""Published tone maps and fits for the tile engine: float32 twins of ToneScale, MethodA, Limit and DistanceOperation.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any, get_args

import numpy as np

from upwelling.core.curves.hlg import LUMINANCE
from upwelling.core.engine.layout import TILE, count, curve_tables, flat_channels, parameters, planes, spare
from upwelling.core.engine.read_kernel import read_row
from upwelling.core.engine.registry import Row, opcode, with_tables
from upwelling.core.engine.tables import Tables, closed
from upwelling.core.kernels import called
from upwelling.core.kernels.fastmath import exp2_fast, log2_fast, power_fast
from upwelling.core.rendering.base import Preserved
from upwelling.core.rendering.bt2446_a import CB, CR, MethodA
from upwelling.core.rendering.fits.distance import POWER, SCALES, THRESHOLDS, DistanceOperation
from upwelling.core.rendering.limit import Limit
from upwelling.core.rendering.tone_scale import HIGHEST, LOWEST, ToneScale

F = np.float32
ZERO, ONE, LEAST = F(0), F(1), F(1e-30)
CELLS_A_STOP = 128
LOW, A_STOP, CELLS = F(LOWEST), F(CELLS_A_STOP), F((HIGHEST - LOWEST) * CELLS_A_STOP)
KR, KG, KB = (F(v) for v in LUMINANCE)
CB32, CR32, INV_CB, INV_CR, INV_KG = F(CB), F(CR), F(1 / 1.1 / CB), F(1 / 1.1 / CR), F(1 / LUMINANCE[1])
TENTH = F(0.1)


@called
def gains(x: Any, out: Any, stops: Any, place: Any, start: Any, tables: Any, n: Any) -> None:
    """out[i] = 2^(table at log2 of x[i]), the curve's gain."""
    for i in range(n):
        stops[i] = log2_fast(x[i])
    read_row(tables, start, LOW, A_STOP, CELLS, stops, out, place, n)
    for i in range(n):
        out[i] = exp2_fast(out[i])


@called
def scale_tile(R: Any, G: Any, B: Any, S: Any, p: Any, tables: Any, n: Any) -> None:
    """ToneScale: p is mode, luminance weights, ceiling, saturation, table start."""
    mode, wr, wg, wb, ceiling, saturation, start = np.int32(p[0]), p[1], p[2], p[3], p[4], p[5], np.int32(p[6])
    N, A = S[0], S[1]
    if mode == 0:
        X, Y, Z = S[2], S[3], S[4]
        for i in range(n):
            R[i], G[i], B[i] = max(R[i], ZERO), max(G[i], ZERO), max(B[i], ZERO)
        gains(R, X, N, A, start, tables, n)
        gains(G, Y, N, A, start, tables, n)
        gains(B, Z, N, A, start, tables, n)
        for i in range(n):
            r, g, b = min(R[i] * X[i], ceiling), min(G[i] * Y[i], ceiling), min(B[i] * Z[i], ceiling)
            before, after = wr * R[i] + wg * G[i] + wb * B[i], wr * r + wg * g + wb * b
            ratio = after / max(before, F(1e-9))
            keep = saturation if before > F(1e-9) else ZERO
            R[i] = r + keep * (R[i] * ratio - r)
            G[i] = g + keep * (G[i] * ratio - g)
            B[i] = b + keep * (B[i] * ratio - b)
        return
    if mode == 1:
        for i in range(n):
            N[i] = wr * R[i] + wg * G[i] + wb * B[i]
    elif mode == 2:
        for i in range(n):
            N[i] = max(max(R[i], G[i]), B[i])
    else:
        for i in range(n):
            x, y, z = max(R[i], ZERO), max(G[i], ZERO), max(B[i], ZERO)
            xx, yy, zz = x * x, y * y, z * z
            N[i] = (x * xx + y * yy + z * zz) / max(xx + yy + zz, LEAST)
    gains(N, A, S[2], S[3], start, tables, n)
    for i in range(n):
        gain = min(A[i], ceiling / max(N[i], LEAST))
        R[i] = R[i] * gain
        G[i] = G[i] * gain
        B[i] = B[i] * gain


@called
def method_a_tile(R: Any, G: Any, B: Any, S: Any, p: Any, tables: Any, n: Any) -> None:
    """MethodA: p is table start and cells over Y′ 0…1."""
    start, cells = np.int32(p[0]), p[1]
    N, A = S[0], S[1]
    for i in range(n):
        N[i] = KR * R[i] + KG * G[i] + KB * B[i]
    read_row(tables, start, ZERO, cells, cells, N, A, S[2], n)
    for i in range(n):
        y, ratio = N[i], A[i]
        cb, cr = ratio * INV_CB * (B[i] - y), ratio * INV_CR * (R[i] - y)
        y = ratio * y - max(TENTH * cr, ZERO)
        r, b = y + CR32 * cr, y + CB32 * cb
        R[i] = r
        B[i] = b
        G[i] = (y - KR * r - KB * b) * INV_KG


@called
def limit_tile(flat: Any, low: Any, high: Any, n: Any) -> None:
    """Limit over n values."""
    for i in range(n):
        flat[i] = min(max(flat[i], low), high)


@called
def distance_tile(R: Any, G: Any, B: Any, p: Any, n: Any) -> None:
    """DistanceOperation: p is three thresholds, three scales, the power and one over it."""
    t0, t1, t2, s0, s1, s2, power, inv = p[0], p[1], p[2], p[3], p[4], p[5], p[6], p[7]
    for i in range(n):
        largest = max(max(R[i], G[i]), B[i])
        size = abs(largest)
        over = ONE / max(size, LEAST)
        dr, dg, db = (largest - R[i]) * over, (largest - G[i]) * over, (largest - B[i]) * over
        x, y, z = max(dr - t0, ZERO) / s0, max(dg - t1, ZERO) / s1, max(db - t2, ZERO) / s2
        x = dr if dr < t0 else t0 + s0 * x * power_fast(ONE + power_fast(x, power), -inv)
        y = dg if dg < t1 else t1 + s1 * y * power_fast(ONE + power_fast(y, power), -inv)
        z = db if db < t2 else t2 + s2 * z * power_fast(ONE + power_fast(z, power), -inv)
        R[i] = min(max(largest - x * size, ZERO), ONE)
        G[i] = min(max(largest - y * size, ZERO), ONE)
        B[i] = min(max(largest - z * size, ZERO), ONE)


PRESERVED = get_args(Preserved)
LUMA_CELLS = 4096


@lru_cache(maxsize=64)
def _gain_table(op: ToneScale) -> Any:
    stops = np.linspace(LOWEST, HIGHEST, int(HIGHEST - LOWEST) * CELLS_A_STOP + 1)
    return closed(np.log2(np.maximum(op.gain(np.exp2(stops)), 1e-30)))


@lru_cache(maxsize=64)
def _luma_table(op: MethodA) -> Any:
    return closed(op.ratio(np.linspace(0.0, 1.0, LUMA_CELLS + 1)))


def _scale_row(op: ToneScale, tables: Tables) -> Row:
    return [PRESERVED.index(op.preserve), *op.luminance, op.ceiling, op.saturation, tables.add(_gain_table(op))]


@opcode(Limit, lambda op: [op.low, op.high])
def limit(call: Any) -> None:
    """Limit: p is low, high."""
    p = parameters(call)
    flat = flat_channels(call)
    limit_tile(flat, p[0], p[1], 3 * TILE)


@with_tables(ToneScale, _scale_row)
def tone_scale(call: Any) -> None:
    """ToneScale."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    scratch = spare(call)
    tables = curve_tables(call)
    scale_tile(R, G, B, scratch, p, tables, n)


@with_tables(MethodA, lambda op, tables: [tables.add(_luma_table(op)), LUMA_CELLS])
def method_a(call: Any) -> None:
    """MethodA."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    scratch = spare(call)
    tables = curve_tables(call)
    method_a_tile(R, G, B, scratch, p, tables, n)


@opcode(DistanceOperation, lambda op: [*THRESHOLDS, *SCALES, POWER, 1 / POWER])
def distance_fit(call: Any) -> None:
    """DistanceOperation."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    distance_tile(R, G, B, p, n)
