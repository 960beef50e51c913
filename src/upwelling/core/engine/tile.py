"""The tile engine: a list of numbered operations run over small planar tiles that stay in the cache.

Each operation is one simple loop, so the compiler makes SIMD of it; adding or moving a step never recompiles.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange

from upwelling.core.engine.colour_kernel import band_gain_tile, curves_tile, select_tile, shift_tile
from upwelling.core.engine.rise_kernel import rise_tile, smooth_tile
from upwelling.core.engine.scale_kernel import distance_tile, limit_tile, method_a_tile, scale_tile
from upwelling.core.fastmath import exp2_fast, log2_fast, power_fast, signed_power_fast
from upwelling.core.kernels import inline, parallel

TILE = 1024
ROW = 48
"""Parameters an operation may have."""
(AFFINE, MATRIX, LOG_DECODE, LOG_ENCODE, SEGMENT_DECODE, SEGMENT_ENCODE, POWER, PURE_LOG_DECODE, PURE_LOG_ENCODE,
 PQ_DECODE, PQ_ENCODE, HLG_DECODE, HLG_ENCODE, SOP, SATURATE, RISE, HOLD, BLEND, MIRROR_DECODE, MIRROR_ENCODE,
 POWER_TOE_DECODE, POWER_TOE_ENCODE, LUMINANCE_POWER, HIGHLIGHTS, CHANNEL_CURVES, BAND_GAIN, SELECT, SHOW_SELECTION, COLOUR_SHIFT,
 TAP, LIMIT, TONE_SCALE, METHOD_A, SMOOTH_FIT, DISTANCE_FIT) = range(35)

F = np.float32
ZERO, HALF, ONE, THIRD, TWELFTH = F(0), F(0.5), F(1), F(1 / 3), F(1 / 12)
LUMA_R, LUMA_G, LUMA_B = F(0.2126), F(0.7152), F(0.0722)
CC_BREAK, CC_A, CC_B, CC_LOW, CC_TOP, CC_TOP_LIN = F((9.72 - 15) / 17.52), F(17.52), F(9.72), F(2.0**-16), F((np.log2(65504.0) + 9.72) / 17.52), F(65504)
CC_LIMIT, CC_INV = F(2.0**-15), F(1 / 17.52)
PQ_M1, PQ_M2 = F(2610 / 16384), F(2523 / 4096 * 128)
PQ_IM1, PQ_IM2 = F(16384 / 2610), F(4096 / 2523 / 128)
PQ_C1, PQ_C2, PQ_C3 = F(3424 / 4096), F(2413 / 4096 * 32), F(2392 / 4096 * 32)
HLG_A_INV_LOG2E = F(1 / 0.17883277 * np.log2(np.e))
HLG_A_LN2, HLG_B, HLG_C = F(0.17883277 * np.log(2.0)), F(1 - 4 * 0.17883277), F(0.5 - 0.17883277 * np.log(4 * 0.17883277))


@inline
def log_decode(x: Any, inv_slope: Any, offset: Any, a: Any, b: Any, cut: Any, toe: Any, toe_offset: Any) -> Any:
    above = exp2_fast((x - offset) * inv_slope) * a + b
    below = x * toe + toe_offset
    return above if x >= cut else below


@inline
def log_encode(x: Any, slope: Any, offset: Any, a: Any, b: Any, cut: Any, toe: Any, toe_offset: Any) -> Any:
    above = log2_fast(x * a + b) * slope + offset
    below = x * toe + toe_offset
    return above if x >= cut else below


@inline
def pq_decode(x: Any) -> Any:
    root = exp2_fast(log2_fast(abs(x)) * PQ_IM2)
    y = exp2_fast(log2_fast(max(root - PQ_C1, ZERO) / (PQ_C2 - PQ_C3 * root)) * PQ_IM1)
    y = y if root > PQ_C1 else ZERO
    return y if x > ZERO else -y


@inline
def pq_encode(x: Any) -> Any:
    size = abs(x)
    raised = exp2_fast(log2_fast(size) * PQ_M1)
    raised = raised if size > F(1e-37) else ZERO
    y = exp2_fast(log2_fast((PQ_C1 + PQ_C2 * raised) / (ONE + PQ_C3 * raised)) * PQ_M2)
    return y if x >= ZERO else -y


@inline
def hlg_decode(x: Any) -> Any:
    size = abs(x)
    above = (exp2_fast((size - HLG_C) * HLG_A_INV_LOG2E) + HLG_B) * TWELFTH
    y = size * size * THIRD if size <= HALF else above
    return y if x > ZERO else -y


@inline
def hlg_encode(x: Any) -> Any:
    size = abs(x)
    root = exp2_fast(log2_fast(F(3) * size) * HALF)
    root = root if size > F(1e-37) else ZERO
    above = log2_fast(max(F(12) * size, ONE) - HLG_B) * HLG_A_LN2 + HLG_C
    y = root if size <= TWELFTH else above
    return y if x > ZERO else -y


@parallel
def run_tiles(source: Any, codes: Any, rows: Any, tables: Any, taps: Any, target: Any) -> None:
    """source and target: (N, 3) float32 (may be the same array); codes: int32 (K,); rows: float32 (K, ROW).

    tables: float32 (T,), where the curves of operations lie one after the other; taps: float32 (M, N, 3), written by TAP.
    """
    count = source.shape[0]
    tiles = (count + TILE - 1) // TILE
    chunks = 64
    for chunk in prange(chunks):
        buffer = np.zeros((3, TILE), np.float32)
        held = np.zeros((6, TILE), np.float32)
        weight = np.zeros(TILE, np.float32)
        scratch = np.zeros((20, TILE), np.float32)
        flat = buffer.reshape(3 * TILE)
        held_flat = held.reshape(6 * TILE)
        R, G, B = buffer[0], buffer[1], buffer[2]
        for tile in range(chunk * tiles // chunks, (chunk + 1) * tiles // chunks):
            start = tile * TILE
            n = min(start + TILE, count) - start
            src = source[start:start + n]
            dst = target[start:start + n]
            for i in range(n):
                R[i] = src[i, 0]
                G[i] = src[i, 1]
                B[i] = src[i, 2]
            for step in range(codes.shape[0]):
                code = codes[step]
                p = rows[step]
                if code == 0:
                    gain, offset = p[0], p[1]
                    for i in range(3 * TILE):
                        flat[i] = flat[i] * gain + offset
                elif code == 1:
                    a0, a1, a2, a3, a4, a5, a6, a7, a8 = p[0], p[1], p[2], p[3], p[4], p[5], p[6], p[7], p[8]
                    for i in range(n):
                        r = R[i]
                        g = G[i]
                        b = B[i]
                        R[i] = a0 * r + a1 * g + a2 * b
                        G[i] = a3 * r + a4 * g + a5 * b
                        B[i] = a6 * r + a7 * g + a8 * b
                elif code == 2:
                    p0, p1, p2, p3, p4, p5, p6 = p[0], p[1], p[2], p[3], p[4], p[5], p[6]
                    for i in range(3 * TILE):
                        flat[i] = log_decode(flat[i], p0, p1, p2, p3, p4, p5, p6)
                elif code == 3:
                    p0, p1, p2, p3, p4, p5, p6 = p[0], p[1], p[2], p[3], p[4], p[5], p[6]
                    for i in range(3 * TILE):
                        flat[i] = log_encode(flat[i], p0, p1, p2, p3, p4, p5, p6)
                elif code == 4:
                    exponent, a, inv, inv_slope, cut, scale = p[0], p[1], p[2], p[3], p[4], p[5]
                    for i in range(3 * TILE):
                        x = flat[i]
                        above = exp2_fast(exponent * log2_fast((x + a) * inv))
                        flat[i] = (above if x >= cut else x * inv_slope) * scale
                elif code == 5:
                    exponent, a, gain, slope, cut, scale = p[0], p[1], p[2], p[3], p[4], p[5]
                    for i in range(3 * TILE):
                        x = flat[i] * scale
                        above = exp2_fast(exponent * log2_fast(x)) * gain - a
                        flat[i] = above if x >= cut else x * slope
                elif code == 6:
                    exponent, before, after = p[0], p[1], p[2]
                    for i in range(3 * TILE):
                        flat[i] = signed_power_fast(flat[i] * before, exponent) * after
                elif code == 7:
                    scale = p[0]
                    for i in range(3 * TILE):
                        x = flat[i]
                        light = exp2_fast(min(x, CC_TOP) * CC_A - CC_B)
                        light = light if x > CC_BREAK else (light - CC_LOW) * F(2)
                        flat[i] = (light if x < CC_TOP else CC_TOP_LIN) * scale
                elif code == 8:
                    scale = p[0]
                    for i in range(3 * TILE):
                        x = max(flat[i] * scale, ZERO)
                        x = x if x >= CC_LIMIT else CC_LOW + x * HALF
                        flat[i] = (log2_fast(x) + CC_B) * CC_INV
                elif code == 9:
                    scale = p[0]
                    for i in range(3 * TILE):
                        flat[i] = pq_decode(flat[i]) * scale
                elif code == 10:
                    scale = p[0]
                    for i in range(3 * TILE):
                        flat[i] = pq_encode(flat[i] * scale)
                elif code == 11:
                    scale = p[0]
                    for i in range(3 * TILE):
                        flat[i] = hlg_decode(flat[i]) * scale
                elif code == 12:
                    scale = p[0]
                    for i in range(3 * TILE):
                        flat[i] = hlg_encode(flat[i] * scale)
                elif code == 13:
                    clamp = p[9] > ZERO
                    for channel in range(3):
                        slope, offset, exponent = p[channel], p[3 + channel], p[6 + channel]
                        x = buffer[channel]
                        if clamp:
                            for i in range(TILE):
                                x[i] = power_fast(min(max(x[i] * slope + offset, ZERO), ONE), exponent)
                        elif exponent == ONE:
                            for i in range(TILE):
                                x[i] = x[i] * slope + offset
                        else:
                            for i in range(TILE):
                                base = x[i] * slope + offset
                                y = exp2_fast(exponent * log2_fast(base))
                                x[i] = y if base > ZERO else base
                elif code == 14:
                    amount, low, high = p[0], p[1], p[2]
                    for i in range(n):
                        r = R[i]
                        g = G[i]
                        b = B[i]
                        y = LUMA_R * r + LUMA_G * g + LUMA_B * b
                        R[i] = min(max(y + amount * (r - y), low), high)
                        G[i] = min(max(y + amount * (g - y), low), high)
                        B[i] = min(max(y + amount * (b - y), low), high)
                elif code == 15:
                    rise_tile(R, G, B, scratch, p, tables, n)
                elif code == 16:
                    slot = held_flat[np.int64(p[0]) * 3 * TILE:]
                    for i in range(3 * TILE):
                        slot[i] = flat[i]
                elif code == 17:
                    strength = p[0]
                    slot = held_flat[np.int64(p[1]) * 3 * TILE:]
                    if p[2] > ZERO:
                        for channel in range(3):
                            x = buffer[channel]
                            before = slot[channel * TILE:]
                            for i in range(n):
                                x[i] = before[i] + strength * weight[i] * (x[i] - before[i])
                    else:
                        for i in range(3 * TILE):
                            flat[i] = slot[i] + strength * (flat[i] - slot[i])
                elif code == 24:
                    curves_tile(buffer, p, tables, n)
                elif code == 25:
                    band_gain_tile(R, G, B, scratch, p, tables, n)
                elif code == 26:
                    select_tile(R, G, B, scratch, weight, p, n)
                elif code == 27:
                    for i in range(n):
                        R[i] = weight[i]
                        G[i] = weight[i]
                        B[i] = weight[i]
                elif code == 28:
                    shift_tile(R, G, B, scratch, p, tables, n)
                elif code == 29:
                    tap = taps[np.int64(p[0]), start:start + n]
                    for i in range(n):
                        tap[i, 0] = R[i]
                        tap[i, 1] = G[i]
                        tap[i, 2] = B[i]
                elif code == 30:
                    limit_tile(flat, p[0], p[1], 3 * TILE)
                elif code == 31:
                    scale_tile(R, G, B, scratch, p, tables, n)
                elif code == 32:
                    method_a_tile(R, G, B, scratch, p, tables, n)
                elif code == 33:
                    smooth_tile(R, G, B, scratch, p, n)
                elif code == 34:
                    distance_tile(R, G, B, p, n)
                elif code == 18:
                    p0, p1, p2, p3, p4, p5, p6, p7, p8 = p[0], p[1], p[2], p[3], p[4], p[5], p[6], p[7], p[8]
                    for i in range(3 * TILE):
                        x = flat[i]
                        above = (exp2_fast((x - p1) * p0) - ONE) * p3
                        below = (ONE - exp2_fast((p2 - x) * p0)) * p3
                        y = (x - p7) * p6
                        y = above if x > p5 else y
                        flat[i] = (below if x < p4 else y) * p8
                elif code == 19:
                    p0, p1, p2, p3, p4, p5, p6, p7, p8 = p[0], p[1], p[2], p[3], p[4], p[5], p[6], p[7], p[8]
                    for i in range(3 * TILE):
                        x = flat[i] * p8
                        size = log2_fast(ONE + p3 * abs(x)) * p0
                        y = x * p6 + p7
                        y = size + p1 if x > p5 else y
                        flat[i] = p2 - size if x < p4 else y
                elif code == 20:
                    p0, p1, p2, p3, p4, p5, p6, p7, p8 = p[0], p[1], p[2], p[3], p[4], p[5], p[6], p[7], p[8]
                    for i in range(3 * TILE):
                        x = flat[i]
                        above = exp2_fast((x - p1) * p0) - p2
                        toe = signed_power_fast(max(x, p7) * p4, p6) - p5
                        flat[i] = (above if x >= p3 else toe) * p8
                elif code == 21:
                    p0, p1, p2, p3, p4, p5, p6, p7, p8 = p[0], p[1], p[2], p[3], p[4], p[5], p[6], p[7], p[8]
                    for i in range(3 * TILE):
                        x = flat[i] * p8
                        above = log2_fast(max(x, p3) + p2) * p0 + p1
                        toe = signed_power_fast(max(x + p5, p7), p6) * p4
                        flat[i] = above if x >= p3 else toe
                elif code == 22:
                    wr, wg, wb, exponent, scale = p[0], p[1], p[2], p[3], p[4]
                    for i in range(n):
                        y = wr * R[i] + wg * G[i] + wb * B[i]
                        gain = exp2_fast(exponent * log2_fast(max(y, F(1e-30)))) * scale
                        gain = gain if y > F(1e-9) else ZERO
                        R[i] = R[i] * gain
                        G[i] = G[i] * gain
                        B[i] = B[i] * gain
                elif code == 23:
                    wr, wg, wb, start, span = p[0], p[1], p[2], p[3], p[4]
                    for i in range(n):
                        ar = min(max((R[i] - start) * span, ZERO), ONE)
                        ag = min(max((G[i] - start) * span, ZERO), ONE)
                        ab = min(max((B[i] - start) * span, ZERO), ONE)
                        r = R[i] * wr
                        g = G[i] * wg
                        b = B[i] * wb
                        r2 = r + ar * max((g + b) * HALF - r, ZERO)
                        g2 = g + ag * max((r + b) * HALF - g, ZERO)
                        b2 = b + ab * max((r + g) * HALF - b, ZERO)
                        most = max(max(r2, g2), b2)
                        all_three = min(min(ar, ag), ab)
                        R[i] = r2 + all_three * (most - r2)
                        G[i] = g2 + all_three * (most - g2)
                        B[i] = b2 + all_three * (most - b2)
            for i in range(n):
                dst[i, 0] = R[i]
                dst[i, 1] = G[i]
                dst[i, 2] = B[i]
