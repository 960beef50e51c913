"""Rise and the smooth gamut fit for the tile engine: float32 twins of rendering/rise.py and fits/smooth.py, on planar tiles.

Between the two stages a pixel is Oklab: ``rise_front`` or ``lab_front`` make it, ``fit_tail`` or ``lab_back`` end it.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.arrays import MID_GREY
from upwelling.core.engine.colour_kernel import signed_cube_root
from upwelling.core.fastmath import cube_root_fast, exp2_fast, log2_fast, sqrt32
from upwelling.core.kernels import called, inline
from upwelling.core.rendering.fits.smooth import DESCENT, KNEE
from upwelling.core.rendering.rise import CONE_FLOOR
from upwelling.core.rendering.tone_curve import BRIGHTEST, LOWEST_STOP, TOE_START, TOE_WIDTH

F = np.float32
ZERO, HALF, ONE, TWO, THREE, THIRD, LEAST = F(0), F(0.5), F(1), F(2), F(3), F(1 / 3), F(1e-30)
LOG_GREY, LOW = F(np.log2(MID_GREY)), F(LOWEST_STOP)
TOE0, TOE_W, INV_TOE_W = F(TOE_START), F(TOE_WIDTH), F(1 / TOE_WIDTH)
KNEE32, INV_KNEE, ROOM, INV_ROOM = F(KNEE), F(1 / KNEE), F(1 - KNEE), F(1 / (1 - KNEE))
FLOOR, INV_FLOOR, FALL, NINE_TENTHS = F(CONE_FLOOR), F(1 / CONE_FLOOR), F(DESCENT), F(0.9)
BRIGHTEST_F = F(BRIGHTEST)
STEPS = 22
LMS, LAB, ROOTS, RGB = 10, 19, 28, 34
"""Where a row of parameters holds RGB to cones, roots to Oklab, a and b to roots, and cones to RGB."""


@inline
def hold_finite(x: Any) -> Any:
    return min(max(x, -BRIGHTEST_F), BRIGHTEST_F)


@inline
def curve_log2(s: Any, contrast: Any, toe: Any, shoulder: Any, peak: Any, middle: Any, p: Any, inv_span: Any) -> Any:
    """ToneCurve.log2_display of one scene stop."""
    v = max((TOE0 - s) * INV_TOE_W, ZERO)
    curved = v * v * v * (ONE - v * HALF)
    area = (curved if v < ONE else v - HALF) * TOE_W
    line = middle + contrast * (min(s, shoulder) - toe * area)
    left = min(max((peak - s) * inv_span, ZERO), ONE)
    raised = exp2_fast((p + ONE) * log2_fast(left))
    raised = raised if left > ZERO else ZERO
    rise = TWO / (p + TWO) - raised * (ONE - p * left / (p + TWO))
    y = line + contrast * (peak - shoulder) * rise
    return y if s < peak else ZERO


@inline
def hold_positive(ratio: Any) -> Any:
    """rise.hold_positive."""
    t = max(FLOOR - ratio, ZERO) * INV_FLOOR
    return FLOOR * (ONE - t / sqrt32(ONE + t * t)) if ratio < FLOOR else ratio


@called
def rise_front(R: Any, G: Any, B: Any, S: Any, p: Any, n: Any) -> None:
    """n pixels of scene light to Oklab of display light in S[0], S[1], S[2]; S is scratch (20, tile)."""
    contrast, toe, shoulder, peak, middle, power, inv_span = p[0], p[1], p[2], p[3], p[4], p[5], p[6]
    ease0, inv_ease, amount = p[7], p[8], p[9]
    a0, a1, a2, a3, a4, a5, a6, a7, a8 = p[10], p[11], p[12], p[13], p[14], p[15], p[16], p[17], p[18]
    c0, c1, c2, c3, c4, c5, c6, c7, c8 = p[19], p[20], p[21], p[22], p[23], p[24], p[25], p[26], p[27]
    LL, AA, CC, N, Y = S[0], S[1], S[2], S[3], S[4]
    for i in range(n):
        r, g, b = hold_finite(R[i]), hold_finite(G[i]), hold_finite(B[i])
        R[i], G[i], B[i] = r, g, b
        x, y, z = max(r, ZERO), max(g, ZERO), max(b, ZERO)
        xx, yy, zz = x * x, y * y, z * z
        norm = (x * xx + y * yy + z * zz) / max(xx + yy + zz, LEAST)
        N[i] = max(log2_fast(norm) - LOG_GREY, LOW)
    for i in range(n):
        Y[i] = curve_log2(N[i], contrast, toe, shoulder, peak, middle, power, inv_span)
    for i in range(n):
        r, g, b = R[i], G[i], B[i]
        s = N[i]
        ratio = exp2_fast(Y[i] * THIRD)
        inv = exp2_fast(-s - LOG_GREY)
        l = cube_root_fast(hold_positive((a0 * r + a1 * g + a2 * b) * inv))
        m = cube_root_fast(hold_positive((a3 * r + a4 * g + a5 * b) * inv))
        t = cube_root_fast(hold_positive((a6 * r + a7 * g + a8 * b) * inv))
        L = (c0 * l + c1 * m + c2 * t) * ratio
        A = (c3 * l + c4 * m + c5 * t) * ratio
        C = (c6 * l + c7 * m + c8 * t) * ratio
        u = min(max((s - ease0) * inv_ease, ZERO), ONE)
        ease = amount * u * u
        keep = ONE - ease
        LL[i] = min(max(L + ease * (ratio - L), ZERO), ONE)
        AA[i] = A * keep
        CC[i] = C * keep


@called
def lab_front(R: Any, G: Any, B: Any, S: Any, p: Any, n: Any) -> None:
    """n pixels of linear light to Oklab in S[0], S[1], S[2]."""
    a0, a1, a2, a3, a4, a5, a6, a7, a8 = p[10], p[11], p[12], p[13], p[14], p[15], p[16], p[17], p[18]
    c0, c1, c2, c3, c4, c5, c6, c7, c8 = p[19], p[20], p[21], p[22], p[23], p[24], p[25], p[26], p[27]
    LL, AA, CC = S[0], S[1], S[2]
    for i in range(n):
        r, g, b = hold_finite(R[i]), hold_finite(G[i]), hold_finite(B[i])
        l = signed_cube_root(a0 * r + a1 * g + a2 * b)
        m = signed_cube_root(a3 * r + a4 * g + a5 * b)
        t = signed_cube_root(a6 * r + a7 * g + a8 * b)
        LL[i] = min(max(c0 * l + c1 * m + c2 * t, ZERO), ONE)
        AA[i] = c3 * l + c4 * m + c5 * t
        CC[i] = c6 * l + c7 * m + c8 * t


@called
def lab_back(R: Any, G: Any, B: Any, S: Any, p: Any, n: Any) -> None:
    """Oklab in S[0], S[1], S[2] to linear light, wherever it lies."""
    d0, d1, d2, d3, d4, d5 = p[28], p[29], p[30], p[31], p[32], p[33]
    m0, m1, m2, m3, m4, m5, m6, m7, m8 = p[34], p[35], p[36], p[37], p[38], p[39], p[40], p[41], p[42]
    LL, AA, CC = S[0], S[1], S[2]
    for i in range(n):
        L, A, C = LL[i], AA[i], CC[i]
        x, y, z = L + d0 * A + d1 * C, L + d2 * A + d3 * C, L + d4 * A + d5 * C
        x, y, z = x * x * x, y * y * y, z * z * z
        R[i] = m0 * x + m1 * y + m2 * z
        G[i] = m3 * x + m4 * y + m5 * z
        B[i] = m6 * x + m7 * y + m8 * z


@called
def fit_tail(R: Any, G: Any, B: Any, S: Any, where: Any, p: Any, n: Any) -> None:
    """Oklab in S[0], S[1], S[2] to linear light in 0…1, fitted at constant hue; ``where`` is int32 (tile,)."""
    d0, d1, d2, d3, d4, d5 = p[28], p[29], p[30], p[31], p[32], p[33]
    m0, m1, m2, m3, m4, m5, m6, m7, m8 = p[34], p[35], p[36], p[37], p[38], p[39], p[40], p[41], p[42]
    Q0, Q1, Q2, N, E, Y = S[0], S[1], S[2], S[3], S[5], S[4]
    for i in range(n):
        L, A, C = S[0, i], S[1, i], S[2, i]
        descent = min(FALL * L * L * L * sqrt32(A * A + C * C), NINE_TENTHS * L)
        L = L - descent
        q0, q1, q2 = d0 * A + d1 * C + descent, d2 * A + d3 * C + descent, d4 * A + d5 * C + descent
        E[i], Q0[i], Q1[i], Q2[i], Y[i] = L, q0, q1, q2, ONE
        x, y, z = L + INV_KNEE * q0, L + INV_KNEE * q1, L + INV_KNEE * q2
        x, y, z = x * x * x, y * y * y, z * z * z
        r, g, b = m0 * x + m1 * y + m2 * z, m3 * x + m4 * y + m5 * z, m6 * x + m7 * y + m8 * z
        N[i] = ONE if min(min(r, g), b) < ZERO or max(max(r, g), b) > ONE else ZERO
    # Only pixels outside the gamut are fitted: they are gathered side by side so that every loop stays SIMD.
    outside = 0
    for i in range(n):
        if N[i] > ZERO:
            where[outside] = i
            S[15, outside] = E[i]
            S[16, outside] = Q0[i]
            S[17, outside] = Q1[i]
            S[18, outside] = Q2[i]
            outside += 1
    if outside > 0:
        R1, G1, B1, R2, G2, B2, R3, G3, B3 = S[6], S[7], S[8], S[9], S[10], S[11], S[12], S[13], S[14]
        LL, low = S[15], S[19]
        for i in range(outside):
            L, q0, q1, q2 = LL[i], S[16, i], S[17, i], S[18, i]
            # Channels as cubics in k, so that a test costs three Horner schemes and no root.
            s0, s1, s2 = q0 * q0, q1 * q1, q2 * q2
            first, second = THREE * L * L, THREE * L
            R1[i], G1[i], B1[i] = first * (m0 * q0 + m1 * q1 + m2 * q2), first * (m3 * q0 + m4 * q1 + m5 * q2), first * (m6 * q0 + m7 * q1 + m8 * q2)
            R2[i], G2[i], B2[i] = second * (m0 * s0 + m1 * s1 + m2 * s2), second * (m3 * s0 + m4 * s1 + m5 * s2), second * (m6 * s0 + m7 * s1 + m8 * s2)
            s0, s1, s2 = s0 * q0, s1 * q1, s2 * q2
            R3[i], G3[i], B3[i] = m0 * s0 + m1 * s1 + m2 * s2, m3 * s0 + m4 * s1 + m5 * s2, m6 * s0 + m7 * s1 + m8 * s2
            low[i] = ZERO
        width = INV_KNEE
        for _ in range(STEPS):
            width = width * HALF
            for i in range(outside):
                k = low[i] + width
                r, g, b = k * (R1[i] + k * (R2[i] + k * R3[i])), k * (G1[i] + k * (G2[i] + k * G3[i])), k * (B1[i] + k * (B2[i] + k * B3[i]))
                L3 = LL[i] * LL[i] * LL[i]
                inside = (min(min(r, g), b) >= -L3) and (max(max(r, g), b) <= ONE - L3)
                low[i] = k if inside else low[i]
        for i in range(outside):
            edge = max(low[i] + width * HALF, F(1e-18))
            x = (ONE / edge - KNEE32) * INV_ROOM
            Y[where[i]] = (KNEE32 + ROOM * x / sqrt32(ONE + x * x)) * edge
    for i in range(n):
        L, k = E[i], Y[i]
        x, y, z = L + k * Q0[i], L + k * Q1[i], L + k * Q2[i]
        x, y, z = x * x * x, y * y * y, z * z * z
        R[i] = min(max(m0 * x + m1 * y + m2 * z, ZERO), ONE)
        G[i] = min(max(m3 * x + m4 * y + m5 * z, ZERO), ONE)
        B[i] = min(max(m6 * x + m7 * y + m8 * z, ZERO), ONE)
