"""Arithmetic on the three channels, and what is held, mixed, shown and handed out, as operations of the tile engine."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.curves.segmented_power import Identity
from upwelling.core.engine.flat import Blend, Hold, ShowWeight
from upwelling.core.engine.layout import (
    TILE,
    channels,
    count,
    first,
    flat_channels,
    held_channels,
    parameters,
    planes,
    selection,
    tap_pictures,
    where,
)
from upwelling.core.engine.registry import decodes, encodes, opcode
from upwelling.core.kernels.fastmath import exp2_fast, log2_fast, power_fast, sqrt32
from upwelling.core.operations import (
    Affine,
    BalanceHighlights,
    LuminancePower,
    Matrix,
    RadialGain,
    RootMatrix,
    Saturate,
    SlopeOffsetPower,
    Tap,
)

F = np.float32
UNLIMITED = 3e38
ZERO, HALF, ONE, TWO, THREE = F(0), F(0.5), F(1), F(2), F(3)
LUMA_R, LUMA_G, LUMA_B = F(0.2126), F(0.7152), F(0.0722)


@encodes(Identity, lambda c, s: [1 / s, 0.0])
@decodes(Identity, lambda c, s: [s, 0.0])
@opcode(Affine, lambda op: [op.gain, op.offset])
def affine(call: Any) -> None:
    """Affine: p is gain, offset."""
    p = parameters(call)
    flat = flat_channels(call)
    gain, offset = p[0], p[1]
    for i in range(3 * TILE):
        flat[i] = flat[i] * gain + offset


@opcode(Matrix, lambda op: [v for row in op.rows for v in row])
def matrix(call: Any) -> None:
    """Matrix: p is its rows."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    a0, a1, a2, a3, a4, a5, a6, a7, a8 = p[0], p[1], p[2], p[3], p[4], p[5], p[6], p[7], p[8]
    for i in range(n):
        r = R[i]
        g = G[i]
        b = B[i]
        R[i] = a0 * r + a1 * g + a2 * b
        G[i] = a3 * r + a4 * g + a5 * b
        B[i] = a6 * r + a7 * g + a8 * b


@opcode(RootMatrix, lambda op: [v for row in op.rows for v in row])
def root_matrix(call: Any) -> None:
    """RootMatrix: p is its rows."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    for i in range(n):
        r = R[i]
        g = G[i]
        b = B[i]
        high_r, high_g, high_b = max(r, ZERO), max(g, ZERO), max(b, ZERO)
        rg, gb, rb = sqrt32(high_r * high_g), sqrt32(high_g * high_b), sqrt32(high_r * high_b)
        R[i] = p[0] * r + p[1] * g + p[2] * b + p[3] * rg + p[4] * gb + p[5] * rb
        G[i] = p[6] * r + p[7] * g + p[8] * b + p[9] * rg + p[10] * gb + p[11] * rb
        B[i] = p[12] * r + p[13] * g + p[14] * b + p[15] * rg + p[16] * gb + p[17] * rb


@opcode(SlopeOffsetPower, lambda op: [*op.slope, *op.offset, *op.power, float(op.clamp)])
def sop(call: Any) -> None:
    """SlopeOffsetPower: p is slopes, offsets, powers, whether it clamps."""
    p = parameters(call)
    buffer = channels(call)
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


@opcode(Saturate, lambda op: [op.amount, *((0.0, 1.0) if op.clamp else (-UNLIMITED, UNLIMITED))])
def saturate(call: Any) -> None:
    """Saturate: p is the amount and between what it holds."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    amount, low, high = p[0], p[1], p[2]
    for i in range(n):
        r = R[i]
        g = G[i]
        b = B[i]
        y = LUMA_R * r + LUMA_G * g + LUMA_B * b
        R[i] = min(max(y + amount * (r - y), low), high)
        G[i] = min(max(y + amount * (g - y), low), high)
        B[i] = min(max(y + amount * (b - y), low), high)


@opcode(LuminancePower, lambda op: [*op.weights, op.exponent, op.scale])
def luminance_power(call: Any) -> None:
    """LuminancePower: p is weights, exponent, scale."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    wr, wg, wb, exponent, scale = p[0], p[1], p[2], p[3], p[4]
    for i in range(n):
        y = wr * R[i] + wg * G[i] + wb * B[i]
        gain = exp2_fast(exponent * log2_fast(max(y, F(1e-30)))) * scale
        gain = gain if y > F(1e-9) else ZERO
        R[i] = R[i] * gain
        G[i] = G[i] * gain
        B[i] = B[i] * gain


@opcode(BalanceHighlights, lambda op: [*op.gains, op.START, 1 / (op.END - op.START)])
def highlights(call: Any) -> None:
    """BalanceHighlights: p is gains, where clipping begins, one over its span."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    wr, wg, wb, begin, span = p[0], p[1], p[2], p[3], p[4]
    for i in range(n):
        ar = min(max((R[i] - begin) * span, ZERO), ONE)
        ag = min(max((G[i] - begin) * span, ZERO), ONE)
        ab = min(max((B[i] - begin) * span, ZERO), ONE)
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


@opcode(Hold, lambda op: [op.slot])
def hold(call: Any) -> None:
    """Hold: p is the slot."""
    p = parameters(call)
    flat = flat_channels(call)
    held = held_channels(call)
    slot = held[np.int64(p[0]) * 3 * TILE:]
    for i in range(3 * TILE):
        slot[i] = flat[i]


@opcode(Blend, lambda op: [op.strength, op.slot, op.by_matte])
def blend(call: Any) -> None:
    """Blend: p is strength, slot, whether by the selection."""
    p, n = parameters(call), count(call)
    flat = flat_channels(call)
    buffer = channels(call)
    held = held_channels(call)
    weight = selection(call)
    strength = p[0]
    slot = held[np.int64(p[1]) * 3 * TILE:]
    if p[2] > ZERO:
        for channel in range(3):
            x = buffer[channel]
            before = slot[channel * TILE:]
            for i in range(n):
                x[i] = before[i] + strength * weight[i] * (x[i] - before[i])
    else:
        for i in range(3 * TILE):
            flat[i] = slot[i] + strength * (flat[i] - slot[i])


@opcode(ShowWeight)
def show_weight(call: Any) -> None:
    """ShowWeight."""
    n = count(call)
    R, G, B = planes(call)
    weight = selection(call)
    for i in range(n):
        R[i] = weight[i]
        G[i] = weight[i]
        B[i] = weight[i]


@opcode(Tap, lambda op: [op.number])
def tap(call: Any) -> None:
    """Tap: p is the picture's number."""
    start, n = first(call), count(call)
    p = parameters(call)
    R, G, B = planes(call)
    taps = tap_pictures(call)
    tap = taps[np.int64(p[0]), start:start + n]
    for i in range(n):
        tap[i, 0] = R[i]
        tap[i, 1] = G[i]
        tap[i, 2] = B[i]


@opcode(RadialGain, lambda op: [op.stops, op.x, op.y, op.inner, 1 / (op.outer - op.inner), 1 / op.stretch])
def radial_gain(call: Any) -> None:
    """RadialGain: p is stops, centre x and y, inner, one over the falloff's width, one over the stretch."""
    start, n = first(call), count(call)
    p, place = parameters(call), where(call)
    R, G, B = planes(call)
    left, top, step, columns = place[0] - p[1], place[1] - p[2], place[2], np.int64(place[3])
    stops, inner, inv_width, inv_stretch = p[0], p[3], p[4], p[5]
    i = np.int64(0)
    while i < n:  # line by line, so that the loop within stays SIMD
        line = (start + i) // columns
        end = min(n, (line + 1) * columns - start)
        y, at = top + F(line) * step, start - line * columns
        for j in range(i, end):
            x = (left + F(at + j) * step) * inv_stretch
            t = min(max((sqrt32(x * x + y * y) - inner) * inv_width, ZERO), ONE)
            gain = exp2_fast(stops * t * t * (THREE - TWO * t))
            R[j] = R[j] * gain
            G[j] = G[j] * gain
            B[j] = B[j] * gain
        i = end
