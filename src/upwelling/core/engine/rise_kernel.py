"""Rise and the smooth gamut fit for the tile engine: float32 twins of rendering/rise_operation.py and fits/smooth.py,
on planar tiles.

q is a power of two and every norm's power too, so that roots and powers are square roots and squares; the tone curve is
a table of display light over scene stops, and its powers are products.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np

from upwelling.core.arrays import MID_GREY
from upwelling.core.engine.layout import count, curve_tables, parameters, planes, spare
from upwelling.core.engine.read_kernel import read_row
from upwelling.core.engine.registry import Row, opcode, with_tables
from upwelling.core.engine.scale_kernel import CELLS_A_STOP
from upwelling.core.engine.tables import Tables, closed
from upwelling.core.kernels import called, inline
from upwelling.core.kernels.fastmath import exp2_fast, log2_fast, sqrt32
from upwelling.core.rendering.fits.smooth import CEILING_KNEE, LEVEL_FLOOR, SmoothOperation
from upwelling.core.rendering.rise_operation import (
    CEILING_WIDTH,
    EASE,
    FARTHEST_MISS,
    MARGIN,
    NEAREST,
    PURITY,
    ROOM,
    TANGENT_WIDTH,
    RiseOperation,
)
from upwelling.core.rendering.root_space import CONE_FLOOR, FAR, KNEE, SHARP, RootSpace
from upwelling.core.rendering.tone_curve import BRIGHTEST, LOWEST_STOP, ToneCurve

F = np.float32
ZERO, HALF, ONE, TWO, FOUR = F(0), F(0.5), F(1), F(2), F(4)
LOG_GREY, LOW, BRIGHTEST_F, LEAST = F(np.log2(MID_GREY)), F(LOWEST_STOP), F(BRIGHTEST), F(1e-30)
DARKEST = F(MID_GREY * 2.0**LOWEST_STOP)
CONE_FLOOR_F, LEVEL_FLOOR_F = F(CONE_FLOOR), F(LEVEL_FLOOR)
KNEE_F, CEILING_KNEE_F, FAR_F = F(KNEE), F(CEILING_KNEE), F(FAR)
CEILING_WIDE, CEILING_ROOT, TANGENT_WIDE, BEND_2, HALF3 = F(CEILING_WIDTH), F(CEILING_WIDTH**0.5), F(TANGENT_WIDTH), F(2.5), F(1.5)
MARGIN_F, ROOM_F = F(MARGIN), F(ROOM)
LEAST_LOG2_Q = 3
"""q is 8 at the least, so that three roots and squares stand in the loops themselves."""
NEAREST_F, SLOPE_LEAST, MISSED = F(NEAREST), F(1e-12), F(FARTHEST_MISS)
UNEVEN = F(1.08)
"""At most this much greater than the largest is the p-norm of three values: 3^(1/16), and a rounding."""
INSIDE = ONE - KNEE_F / UNEVEN
LEAST_LEVEL = F(1e-12)
FARTHEST_BELOW = F(1e18)
"""In floors, so that its square is finite: light negative in all channels is black."""
LEAST_CONE = F(0.01)
assert EASE == 2
assert PURITY == 4
assert SHARP == 16


@inline
def hold32(x: Any, floor: Any) -> Any:
    """root_space.hold."""
    t = min(max(floor - x, ZERO) / floor, FARTHEST_BELOW)
    return floor / (ONE + t + t * t) if x < floor else x


@inline
def soft32(reach: Any, knee: Any) -> Any:
    """root_space.soft_limit."""
    x = max(reach - knee, ZERO) / (ONE - knee)
    y = x + x * x
    return knee + (ONE - knee) * y / (ONE + y) if reach > knee else reach


@inline
def positive32(x: Any, width: Any) -> Any:
    """root_space.smooth_positive."""
    t = min(max(x + width, ZERO), TWO * width)
    return max(x, t * t / (FOUR * width))


@inline
def root32(x: Any, width: Any, root_width: Any) -> Any:
    """root_space.smooth_root."""
    t = min(max((x + width) / (TWO * width), ZERO), ONE)
    return root_width * t * t * (BEND_2 + t * (HALF * t - TWO)) if x < width else sqrt32(max(x, width))


@inline
def norm_16(x: Any, y: Any, z: Any) -> Any:
    """root_space.p_norm of three values with p = 16, scaled by the largest so that nothing overflows or vanishes."""
    most = min(max(max(max(x, y), z), F(1e-4)), FAR_F)
    inv = ONE / most
    a, b, c = min(max(x * inv, F(0.01)), ONE), min(max(y * inv, F(0.01)), ONE), min(max(z * inv, F(0.01)), ONE)
    a, b, c = a * a, b * b, c * c
    a, b, c = a * a, b * b, c * c
    a, b, c = a * a, b * b, c * c
    return most * sqrt32(sqrt32(sqrt32(sqrt32(a * a + b * b + c * c + F(1e-30)))))


@inline
def fourth_sum(x: Any, y: Any, z: Any) -> Any:
    """Σ v⁴ of three values."""
    a, b, c = min(max(x, F(1e-9)), FAR_F), min(max(y, F(1e-9)), FAR_F), min(max(z, F(1e-9)), FAR_F)
    a, b, c = a * a, b * b, c * c
    return a * a + b * b + c * c


@called
def hold_row(X: Any, floor: Any, n: Any) -> None:
    """root_space.hold over a row, which most rows do not need."""
    below = 0  # counted: a sum would be no number where one pixel is none, and its neighbours would not be held
    for i in range(n):
        below += X[i] < floor
    if below > 0:
        for i in range(n):
            X[i] = hold32(X[i], floor)


@called
def roots(X: Any, Y: Any, Z: Any, log2_q: Any, n: Any) -> None:
    """d in place of cones over the level: held positive, then the q-th root less 1."""
    hold_row(X, CONE_FLOOR_F, n)
    hold_row(Y, CONE_FLOOR_F, n)
    hold_row(Z, CONE_FLOOR_F, n)
    for i in range(n):
        X[i], Y[i], Z[i] = sqrt32(sqrt32(sqrt32(X[i]))), sqrt32(sqrt32(sqrt32(Y[i]))), sqrt32(sqrt32(sqrt32(Z[i])))
    for _ in range(log2_q - LEAST_LOG2_Q):
        for i in range(n):
            X[i], Y[i], Z[i] = sqrt32(X[i]), sqrt32(Y[i]), sqrt32(Z[i])
    for i in range(n):
        X[i], Y[i], Z[i] = X[i] - ONE, Y[i] - ONE, Z[i] - ONE


@called
def light_of(X: Any, Y: Any, Z: Any, K: Any, R: Any, G: Any, B: Any, p: Any, log2_q: Any, n: Any) -> None:
    """g of d in X, Y, Z shortened by K, into R, G, B; the matrix from cones is p[9:18]."""
    m0, m1, m2, m3, m4, m5, m6, m7, m8 = p[9], p[10], p[11], p[12], p[13], p[14], p[15], p[16], p[17]
    for i in range(n):
        R[i], G[i], B[i] = ONE + K[i] * X[i], ONE + K[i] * Y[i], ONE + K[i] * Z[i]
    for _ in range(log2_q - LEAST_LOG2_Q):
        for i in range(n):
            R[i], G[i], B[i] = R[i] * R[i], G[i] * G[i], B[i] * B[i]
    for i in range(n):
        x, y, z = R[i] * R[i], G[i] * G[i], B[i] * B[i]
        x, y, z = x * x, y * y, z * z
        x, y, z = x * x, y * y, z * z
        R[i] = m0 * x + m1 * y + m2 * z
        G[i] = m3 * x + m4 * y + m5 * z
        B[i] = m6 * x + m7 * y + m8 * z


@called
def reaches(X: Any, Y: Any, Z: Any, TR: Any, TG: Any, TB: Any, CR: Any, CG: Any, CB: Any, T: Any, p: Any, n: Any) -> None:
    """Of d in X, Y, Z and g(1) in CR, CG, CB: tangents in TR, TG, TB, chords in CR, CG, CB, and the colour's reach in
    T.
    """
    m0, m1, m2, m3, m4, m5, m6, m7, m8 = p[9], p[10], p[11], p[12], p[13], p[14], p[15], p[16], p[17]
    q = exp2_fast(p[18])
    for i in range(n):
        x, y, z = q * X[i], q * Y[i], q * Z[i]
        TR[i], TG[i], TB[i] = m0 * x + m1 * y + m2 * z, m3 * x + m4 * y + m5 * z, m6 * x + m7 * y + m8 * z
        CR[i], CG[i], CB[i] = CR[i] - ONE, CG[i] - ONE, CB[i] - ONE
    for i in range(n):
        T[i] = norm_16(max(-CR[i], ZERO), max(-CG[i], ZERO), max(-CB[i], ZERO))


@inline
def ceiling_reach(tangent: Any, chord: Any, near: Any, k: Any) -> Any:
    """rise_operation.ceiling_reach of one channel."""
    bow = positive32(tangent - chord, TANGENT_WIDE)
    slope = max(chord + bow, ZERO)
    miss = max(ONE - FOUR * bow / (near * (slope * slope + SLOPE_LEAST)), MISSED)
    return slope * k * near * (ONE + root32(miss, CEILING_WIDE, CEILING_ROOT)) * HALF


@called
def rise_tile(R: Any, G: Any, B: Any, S: Any, p: Any, tables: Any, n: Any) -> None:
    """RiseOperation on n pixels; S is scratch (20, tile).

    p: matrix to cones, matrix from cones, log2 q, light floor, table start, low, inverse cell, cells, 1/contrast, ease
    start, 1/(peak − ease start), desaturation, fitted.
    """
    a0, a1, a2, a3, a4, a5, a6, a7, a8 = p[0], p[1], p[2], p[3], p[4], p[5], p[6], p[7], p[8]
    log2_q = np.int32(p[18])
    start, low, inv, cells = np.int32(p[20]), p[21], p[22], p[23]
    inv_contrast, ease0, inv_ease, amount, fitted = p[24], p[25], p[26], p[27], p[28] > ZERO
    X, Y, Z, N, P, FIRST, K, T = S[0], S[1], S[2], S[3], S[4], S[5], S[6], S[7]
    TR, TG, TB, CR, CG, CB, LEVEL = S[8], S[9], S[10], S[11], S[12], S[13], S[14]
    for i in range(n):
        r, g, b = min(max(R[i], -BRIGHTEST_F), BRIGHTEST_F), min(max(G[i], -BRIGHTEST_F), BRIGHTEST_F), min(max(B[i], -BRIGHTEST_F), BRIGHTEST_F)
        x, y, z = max(r, ZERO), max(g, ZERO), max(b, ZERO)
        xx, yy, zz = x * x, y * y, z * z
        norm = max((x * xx + y * yy + z * zz) / max(xx + yy + zz, LEAST), DARKEST)
        over = ONE / norm
        N[i] = norm
        X[i] = (a0 * r + a1 * g + a2 * b) * over
        Y[i] = (a3 * r + a4 * g + a5 * b) * over
        Z[i] = (a6 * r + a7 * g + a8 * b) * over
        K[i] = ONE
    roots(X, Y, Z, log2_q, n)
    light_of(X, Y, Z, K, CR, CG, CB, p, log2_q, n)
    reaches(X, Y, Z, TR, TG, TB, CR, CG, CB, T, p, n)
    for i in range(n):
        tr, tg, tb, cr, cg, cb, reach = TR[i], TG[i], TB[i], CR[i], CG[i], CB[i], T[i]
        landed = soft32(reach, KNEE_F)
        first = landed / reach
        pure = landed * landed
        pure = pure * pure
        ar, ag, ab = max(first * (tr + first * (cr - tr)), ZERO), max(first * (tg + first * (cg - tg)), ZERO), max(first * (tb + first * (cb - tb)), ZERO)
        above = sqrt32(sqrt32(fourth_sum(ar, ag, ab) + LEAST))
        FIRST[i], P[i], K[i] = first, pure, pure * (MARGIN_F * above + ROOM_F)
    for i in range(n):
        N[i] = max(log2_fast(N[i]) - LOG_GREY, LOW)
        T[i] = N[i] + log2_fast(ONE + K[i]) * inv_contrast
    read_row(tables, start, low, inv, cells, T, LEVEL, S[15], n)
    for i in range(n):
        level = LEVEL[i]
        fade = level * level
        u = min(max((N[i] - ease0) * inv_ease, ZERO), ONE)
        pure = P[i]
        second = ONE - amount * ((ONE - pure) * fade + pure * u * u * (HALF3 + u - HALF3 * u * u))
        room = ONE + K[i] * second
        T[i] = level / room
        k = second
        if fitted:
            k = FIRST[i] * second
            near = level / max(room - level, NEAREST_F)
            zr, zg, zb = ceiling_reach(TR[i], CR[i], near, k), ceiling_reach(TG[i], CG[i], near, k), ceiling_reach(TB[i], CB[i], near, k)
            k = k / sqrt32(sqrt32(ONE + fourth_sum(zr, zg, zb)))
        K[i] = k
    light_of(X, Y, Z, K, R, G, B, p, log2_q, n)
    finish(R, G, B, T, p[19], fitted, n)


@called
def finish(R: Any, G: Any, B: Any, T: Any, floor: Any, fitted: Any, n: Any) -> None:
    """Light over the level times the level; fitted, each channel held positive and below the peak."""
    if fitted:
        hold_row(R, floor, n)
        hold_row(G, floor, n)
        hold_row(B, floor, n)
        for i in range(n):
            R[i], G[i], B[i] = min(R[i] * T[i], ONE), min(G[i] * T[i], ONE), min(B[i] * T[i], ONE)
    else:
        for i in range(n):
            R[i], G[i], B[i] = R[i] * T[i], G[i] * T[i], B[i] * T[i]


@called
def all_inside(X: Any, Y: Any, Z: Any, T: Any, CR: Any, CG: Any, CB: Any, p: Any, n: Any) -> Any:
    """Whether the fit would move no pixel of a tile, told without a root: by bounds of what the loops below compute.

    Cones over the level are in X, Y, Z, light over it in CR, CG, CB. The tangent of a cone x lies between 1 − 1/x and
    x − 1; a ceiling's reach is at most slope × near. Most tiles of a picture pass, and cost a third.
    """
    m0, m1, m2, m3, m4, m5, m6, m7, m8 = p[9], p[10], p[11], p[12], p[13], p[14], p[15], p[16], p[17]
    h0, h1, h2, h3, h4 = max(m0, ZERO), max(m1, ZERO), max(m2, ZERO), max(m3, ZERO), max(m4, ZERO)
    h5, h6, h7, h8 = max(m5, ZERO), max(m6, ZERO), max(m7, ZERO), max(m8, ZERO)
    l0, l1, l2, l3, l4, l5, l6, l7, l8 = m0 - h0, m1 - h1, m2 - h2, m3 - h3, m4 - h4, m5 - h5, m6 - h6, m7 - h7, m8 - h8
    inside = 0
    for i in range(n):
        x, y, z = X[i], Y[i], Z[i]
        r, g, b = CR[i], CG[i], CB[i]
        low = min(min(r, g), b)
        u, v, w = ONE - ONE / max(x, LEAST_CONE), ONE - ONE / max(y, LEAST_CONE), ONE - ONE / max(z, LEAST_CONE)
        x, y, z = x - ONE, y - ONE, z - ONE
        tr = h0 * x + h1 * y + h2 * z + l0 * u + l1 * v + l2 * w
        tg = h3 * x + h4 * y + h5 * z + l3 * u + l4 * v + l5 * w
        tb = h6 * x + h7 * y + h8 * z + l6 * u + l7 * v + l8 * w
        most = max(max(max(max(tr, tg), tb), max(max(r, g), b) - ONE), ZERO) + TANGENT_WIDE
        reach = UNEVEN * most * T[i] - CEILING_KNEE_F * (ONE - T[i])
        cone = min(min(X[i], Y[i]), Z[i])
        inside += (low >= INSIDE) & (reach <= ZERO) & (cone >= LEAST_CONE)
    return inside == n


@called
def smooth_tile(R: Any, G: Any, B: Any, S: Any, p: Any, n: Any) -> None:
    """SmoothOperation on n pixels; p: matrix to cones, matrix from cones, log2 q, light floor, luminance weights."""
    a0, a1, a2, a3, a4, a5, a6, a7, a8 = p[0], p[1], p[2], p[3], p[4], p[5], p[6], p[7], p[8]
    log2_q, wr, wg, wb = np.int32(p[18]), p[20], p[21], p[22]
    X, Y, Z, K, T, D = S[0], S[1], S[2], S[3], S[4], S[5]
    TR, TG, TB, CR, CG, CB = S[8], S[9], S[10], S[11], S[12], S[13]
    for i in range(n):
        r, g, b = min(max(R[i], -BRIGHTEST_F), BRIGHTEST_F), min(max(G[i], -BRIGHTEST_F), BRIGHTEST_F), min(max(B[i], -BRIGHTEST_F), BRIGHTEST_F)
        x, y, z = max(r, ZERO), max(g, ZERO), max(b, ZERO)
        xx, yy, zz = x * x, y * y, z * z
        norm = max((x * xx + y * yy + z * zz) / max(xx + yy + zz, LEAST), DARKEST)
        level = max(hold32((wr * r + wg * g + wb * b) / norm, LEVEL_FLOOR_F) * norm, LEAST_LEVEL)
        over = ONE / level
        T[i] = min(level, ONE)
        X[i] = (a0 * r + a1 * g + a2 * b) * over
        Y[i] = (a3 * r + a4 * g + a5 * b) * over
        Z[i] = (a6 * r + a7 * g + a8 * b) * over
        CR[i], CG[i], CB[i] = r * over, g * over, b * over
        K[i] = ONE
    if all_inside(X, Y, Z, T, CR, CG, CB, p, n):
        return
    roots(X, Y, Z, log2_q, n)
    light_of(X, Y, Z, K, CR, CG, CB, p, log2_q, n)
    reaches(X, Y, Z, TR, TG, TB, CR, CG, CB, D, p, n)
    for i in range(n):
        tr, tg, tb, cr, cg, cb = TR[i], TG[i], TB[i], CR[i], CG[i], CB[i]
        k = soft32(D[i], KNEE_F) / D[i]
        shown = T[i]
        near = shown / max(ONE - shown, NEAREST_F)
        far = norm_16(ceiling_reach(tr, cr, near, k), ceiling_reach(tg, cg, near, k), ceiling_reach(tb, cb, near, k))
        K[i] = k * soft32(far, CEILING_KNEE_F) / far
    light_of(X, Y, Z, K, R, G, B, p, log2_q, n)
    finish(R, G, B, T, p[19], True, n)


def _space_row(space: RootSpace) -> Row:
    return [*space.to_cones.ravel(), *space.to_light.ravel(), float(space.log2_q), space.light_floor]


def _curve_cells(curve: ToneCurve) -> int:
    return int((curve.peak_stops - LOWEST_STOP) * CELLS_A_STOP)


@lru_cache(maxsize=64)
def _curve_table(curve: ToneCurve) -> Any:
    return closed(np.exp2(curve.log2_display(np.linspace(LOWEST_STOP, curve.peak_stops, _curve_cells(curve) + 1))))


def _rise_row(op: RiseOperation, tables: Tables) -> Row:
    curve, cells = op.curve, _curve_cells(op.curve)
    return [
        *_space_row(op.space),
        tables.add(_curve_table(curve)),
        LOWEST_STOP,
        cells / (curve.peak_stops - LOWEST_STOP),
        cells,
        1 / curve.contrast,
        op.ease_start,
        1 / (curve.peak_stops - op.ease_start),
        op.desaturation,
        op.fitted,
    ]


@with_tables(RiseOperation, _rise_row)
def rise(call: Any) -> None:
    """RiseOperation."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    scratch = spare(call)
    tables = curve_tables(call)
    rise_tile(R, G, B, scratch, p, tables, n)


@opcode(SmoothOperation, lambda op: [*_space_row(op.space), *op.luminance])
def smooth_fit(call: Any) -> None:
    """SmoothOperation."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    scratch = spare(call)
    smooth_tile(R, G, B, scratch, p, n)
