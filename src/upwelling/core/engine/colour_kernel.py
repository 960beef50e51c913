"""Colour operations for the tile engine: the float32 twins of core/colour_operations.py and of the curves in
operations.py.

Arithmetic and table reads are kept in separate loops, so that the first stay SIMD.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.arrays import MID_GREY
from upwelling.core.colour.oklab import LAB_TO_ROOT, ROOT_TO_LAB
from upwelling.core.engine.join_kernel import join_tile
from upwelling.core.engine.layout import channels, count, curve_tables, parameters, planes, selection, spare
from upwelling.core.engine.read_kernel import read_row
from upwelling.core.engine.registry import Row, selects, with_tables
from upwelling.core.engine.tables import Tables, sampled, table_of
from upwelling.core.kernels import called, inline
from upwelling.core.kernels.fastmath import arctan2_fast, cube_root_fast, exp2_fast, log2_fast, sqrt32
from upwelling.core.operations import BandGain, ChannelCurves, ColourShift, Select
from upwelling.core.operations.colour import LEAST_LIGHTNESS, NEUTRAL_FADE

F = np.float32
ZERO, HALF, ONE, TWO, THREE, THIRD, LEAST = F(0), F(0.5), F(1), F(2), F(3), F(1 / 3), F(1e-30)
DEGREES, HALF_RADIAN, CIRCLE, HALF_CIRCLE = F(180 / np.pi), F(np.pi / 360), F(360), F(180)
LOG_GREY, DARKEST, INV_FADE = F(np.log2(MID_GREY)), F(LEAST_LIGHTNESS), F(1 / NEUTRAL_FADE)
C0, C1, C2, C3, C4, C5, C6, C7, C8 = (F(v) for v in ROOT_TO_LAB.ravel())
D1, D2, D4, D5, D7, D8 = (F(v) for v in LAB_TO_ROOT[:, 1:].ravel())
S3, S5, S7, S9, S11 = F(-1 / 6), F(1 / 120), F(-1 / 5040), F(1 / 362880), F(-1 / 39916800)
K2, K4, K6, K8, K10 = F(-1 / 2), F(1 / 24), F(-1 / 720), F(1 / 40320), F(-1 / 3628800)


@inline
def smooth32(t: Any) -> Any:
    t = min(max(t, ZERO), ONE)
    return t * t * (THREE - TWO * t)


@inline
def signed_cube_root(x: Any) -> Any:
    y = cube_root_fast(abs(x))
    return y if x > ZERO else -y


@called
def curves_tile(buffer: Any, S: Any, p: Any, tables: Any, n: Any) -> None:
    """ChannelCurves: p is start, low, inverse cell, cells, high, then value and slope at both ends for each channel."""
    low, inv, cells, high = p[1], p[2], p[3], p[4]
    for channel in range(3):
        start = np.int32(p[0]) + np.int32(channel) * (np.int32(cells) + np.int32(2))
        left, right = p[5 + 2 * channel], p[6 + 2 * channel]
        x, y = buffer[channel], S[0]
        read_row(tables, start, low, inv, cells, x, y, S[1], n)
        for i in range(n):
            v = x[i]
            x[i] = y[i] + left * min(v - low, ZERO) + right * max(v - high, ZERO)


@called
def norm_tile(R: Any, G: Any, B: Any, N: Any, p: Any, n: Any) -> None:
    """N becomes stops of the norm from mid grey: p is the norm's number and the luminance weights."""
    kind, wr, wg, wb = p[0], p[1], p[2], p[3]
    if kind == ZERO:
        for i in range(n):
            N[i] = log2_fast(max(wr * R[i] + wg * G[i] + wb * B[i], LEAST)) - LOG_GREY
    elif kind == ONE:
        for i in range(n):
            N[i] = log2_fast(max(max(max(R[i], G[i]), B[i]), LEAST)) - LOG_GREY
    else:
        for i in range(n):
            r, g, b = max(R[i], ZERO), max(G[i], ZERO), max(B[i], ZERO)
            rr, gg, bb = r * r, g * g, b * b
            N[i] = log2_fast(max((r * rr + g * gg + b * bb) / max(rr + gg + bb, LEAST), LEAST)) - LOG_GREY


@called
def band_gain_tile(R: Any, G: Any, B: Any, S: Any, p: Any, tables: Any, n: Any) -> None:
    """BandGain: p is the norm's number, luminance weights, start, low, inverse cell, cells."""
    start, low, inv, cells = np.int32(p[4]), p[5], p[6], p[7]
    N, stops = S[0], S[1]
    norm_tile(R, G, B, N, p, n)
    read_row(tables, start, low, inv, cells, N, stops, S[2], n)
    for i in range(n):
        gain = exp2_fast(stops[i])
        R[i] = R[i] * gain
        G[i] = G[i] * gain
        B[i] = B[i] * gain


@called
def polar_tile(R: Any, G: Any, B: Any, S: Any, p: Any, n: Any) -> None:
    """S[0..2] Oklab, S[3] hue in degrees, S[4] saturation, S[5] stops; the matrix to cone responses is p[0:9]."""
    m0, m1, m2, m3, m4, m5, m6, m7, m8 = p[0], p[1], p[2], p[3], p[4], p[5], p[6], p[7], p[8]
    L, A, C, H, T, N = S[0], S[1], S[2], S[3], S[4], S[5]
    for i in range(n):
        r, g, b = R[i], G[i], B[i]
        l = signed_cube_root(m0 * r + m1 * g + m2 * b)
        m = signed_cube_root(m3 * r + m4 * g + m5 * b)
        s = signed_cube_root(m6 * r + m7 * g + m8 * b)
        light = C0 * l + C1 * m + C2 * s
        x = C3 * l + C4 * m + C5 * s
        y = C6 * l + C7 * m + C8 * s
        held = max(light, DARKEST)
        hue = arctan2_fast(y, x) * DEGREES
        L[i], A[i], C[i] = light, x, y
        H[i] = hue + CIRCLE if hue < ZERO else hue
        T[i] = sqrt32(x * x + y * y) / held
        N[i] = THREE * log2_fast(held) - LOG_GREY


@called
def select_tile(R: Any, G: Any, B: Any, S: Any, weight: Any, p: Any, n: Any) -> None:
    """Select: p[9:] is hue, reach, inverse softness, saturation low, high, inverse softness, stops likewise."""
    polar_tile(R, G, B, S, p, n)
    hue, reach, inv_soft = p[9], p[10], p[11]
    low, high, inv_sat, dark, bright, inv_stops = p[12], p[13], p[14], p[15], p[16], p[17]
    H, T, N = S[3], S[4], S[5]
    for i in range(n):
        away = abs(H[i] - hue)
        away = min(away, CIRCLE - away)
        w = smooth32((reach - away) * inv_soft)
        w = w * smooth32((T[i] - low) * inv_sat + ONE) * smooth32((high - T[i]) * inv_sat + ONE)
        w = w * smooth32((N[i] - dark) * inv_stops + ONE) * smooth32((bright - N[i]) * inv_stops + ONE)
        weight[i] = w


@called
def table_row(tables: Any, p: Any, at: Any, source: Any, target: Any, place: Any, n: Any) -> None:
    """One curve over a row: p[at:at + 4] is start (below 0: the curve is flat at p[at + 1]), low, inverse cell, cells.
    """
    if p[at] < ZERO:
        flat = p[at + 1]
        for i in range(n):
            target[i] = flat
    else:
        read_row(tables, np.int32(p[at]), p[at + 1], p[at + 2], p[at + 3], source, target, place, n)


@called
def shift_tile(R: Any, G: Any, B: Any, S: Any, p: Any, tables: Any, n: Any) -> None:
    """ColourShift: p[9:18] is the matrix from cone responses, five curves from p[18], then whether it mixes and how
    much, and four curves more: hue and brightness by saturation and by stops.
    """
    polar_tile(R, G, B, S, p, n)
    L, A, C, H, T, N, X, Y, Z = S[0], S[1], S[2], S[3], S[4], S[5], S[6], S[7], S[8]
    V, W, PLACE = S[9], S[10], S[11]
    table_row(tables, p, 26, H, X, PLACE, n)
    table_row(tables, p, 30, T, Y, PLACE, n)
    table_row(tables, p, 34, N, Z, PLACE, n)
    mixes, amount = p[38] > ZERO, p[39]
    for i in range(n):
        gain = X[i] * Y[i] * Z[i]
        gain = ONE + amount * (gain) if mixes else gain
        A[i] = A[i] * gain
        C[i] = C[i] * gain
    table_row(tables, p, 18, H, X, PLACE, n)
    table_row(tables, p, 22, H, Y, PLACE, n)
    table_row(tables, p, 40, T, Z, PLACE, n)
    table_row(tables, p, 44, N, V, PLACE, n)
    for i in range(n):
        X[i] = (X[i] + Z[i] + V[i]) * HALF_RADIAN
    table_row(tables, p, 48, T, Z, PLACE, n)
    table_row(tables, p, 52, N, W, PLACE, n)
    q0, q1, q2, q3, q4, q5, q6, q7, q8 = p[9], p[10], p[11], p[12], p[13], p[14], p[15], p[16], p[17]
    for i in range(n):
        half = X[i]  # of the turn, which the series then hold for up to half a circle
        t2 = half * half
        sine_half = half * (ONE + t2 * (S3 + t2 * (S5 + t2 * (S7 + t2 * (S9 + t2 * S11)))))
        cosine_half = ONE + t2 * (K2 + t2 * (K4 + t2 * (K6 + t2 * (K8 + t2 * K10))))
        sine, cosine = TWO * sine_half * cosine_half, ONE - TWO * sine_half * sine_half
        up = exp2_fast((Y[i] * smooth32(T[i] * INV_FADE) + Z[i] + W[i]) * THIRD)
        light, a, b = L[i] * up, (A[i] * cosine - C[i] * sine) * up, (A[i] * sine + C[i] * cosine) * up
        l, m, s = light + D1 * a + D2 * b, light + D4 * a + D5 * b, light + D7 * a + D8 * b
        l, m, s = l * l * l, m * m * m, s * s * s
        R[i] = q0 * l + q1 * m + q2 * s
        G[i] = q3 * l + q4 * m + q5 * s
        B[i] = q6 * l + q7 * m + q8 * s


CODE_LOW, CODE_HIGH, CODE_CELLS = -0.5, 1.5, 4096
HUE_CELLS, SATURATION_CELLS, STOP_CELLS = 2048, 1024, 2048
NORMS = ("luminance", "largest channel", "power norm")


def _curves_row(op: ChannelCurves, tables: Tables) -> Row:
    slopes: list[float] = []
    cell = (CODE_HIGH - CODE_LOW) / CODE_CELLS
    curves = [sampled(chain, CODE_LOW, CODE_HIGH, CODE_CELLS) for chain in op.chains]
    for chain in op.chains:
        ends = np.array([CODE_LOW - cell, CODE_LOW, CODE_HIGH, CODE_HIGH + cell])
        for curve in chain:
            ends = curve(ends)
        slopes += [(ends[1] - ends[0]) / cell, (ends[3] - ends[2]) / cell]
    return [tables.add(*curves), CODE_LOW, 1 / cell, float(CODE_CELLS), CODE_HIGH, *slopes]


def _gain_row(op: BandGain, tables: Tables) -> Row:
    low, high = op.gain.points[0][0], op.gain.points[-1][0]
    start = tables.add(sampled((op.gain,), low, high, STOP_CELLS))
    return [NORMS.index(op.norm), *op.luminance, start, low, STOP_CELLS / (high - low), STOP_CELLS]


def _select_row(op: Select, tables: Tables) -> Row:
    (low, high, soft), (dark, bright, soft_stops) = op.saturation, op.stops
    matrix = [v for row in op.to_lms for v in row]
    hue = [op.hue, op.half_width + op.hue_soft, 1 / op.hue_soft]
    return [*matrix, *hue, low, high, 1 / soft, dark, bright, 1 / soft_stops]


def _shift_row(op: ColourShift, tables: Tables) -> Row:
    def tabled(names: tuple[str, ...], low: float, high: float, cells: int) -> Row:
        return [v for name in names for v in table_of(getattr(op, name), low, high, cells, tables)]

    matrix = np.array(op.to_lms)
    return [
        *matrix.ravel(),
        *np.linalg.inv(matrix).ravel(),
        *tabled(("hue_by_hue", "brightness_by_hue", "saturation_by_hue"), 0.0, 360.0, HUE_CELLS),
        *tabled(("saturation_by_saturation",), 0.0, 1.0, SATURATION_CELLS),
        *tabled(("saturation_by_stops",), -10.0, 10.0, STOP_CELLS),
        op.amount is not None,
        (op.amount or 0.0) - 1,
        *tabled(("hue_by_saturation",), 0.0, 1.0, SATURATION_CELLS),
        *tabled(("hue_by_stops",), -10.0, 10.0, STOP_CELLS),
        *tabled(("brightness_by_saturation",), 0.0, 1.0, SATURATION_CELLS),
        *tabled(("brightness_by_stops",), -10.0, 10.0, STOP_CELLS),
    ]


@with_tables(ChannelCurves, _curves_row)
def channel_curves(call: Any) -> None:
    """ChannelCurves."""
    p, n = parameters(call), count(call)
    buffer, scratch = channels(call), spare(call)
    tables = curve_tables(call)
    curves_tile(buffer, scratch, p, tables, n)


@with_tables(BandGain, _gain_row)
def band_gain(call: Any) -> None:
    """BandGain."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    scratch = spare(call)
    tables = curve_tables(call)
    band_gain_tile(R, G, B, scratch, p, tables, n)


@selects(Select, _select_row)
def select(call: Any) -> None:
    """Select: p is join and invert, then what select_tile takes."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    weight = selection(call)
    scratch = spare(call)
    select_tile(R, G, B, scratch, scratch[19], p[2:], n)
    join_tile(weight, scratch[19], p, n)


@with_tables(ColourShift, _shift_row)
def colour_shift(call: Any) -> None:
    """ColourShift."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    scratch = spare(call)
    tables = curve_tables(call)
    shift_tile(R, G, B, scratch, p, tables, n)
