"""Dye density for the tile engine: the float32 twin of operations/density.py."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.arrays import STOP
from upwelling.core.engine.kept_kernel import kept32
from upwelling.core.engine.layout import count, parameters, planes
from upwelling.core.engine.registry import Row, opcode
from upwelling.core.kernels import called
from upwelling.core.kernels.fastmath import exp2_fast, log2_fast, sqrt32
from upwelling.core.operations.density import (
    DEEP,
    GUARD,
    HUE_FADE,
    LEAST_LEVEL,
    ROOT3_HALF,
    SKIN_SHARP,
    THINNEST,
    DyeDensity,
    hue_series,
)

F = np.float32
ZERO, HALF, ONE, TWO = F(0), F(0.5), F(1), F(2)
LEVEL, LEAST, THIN, ACROSS, DENSITY = F(LEAST_LEVEL), F(1e-30), F(THINNEST), F(ROOT3_HALF), F(STOP)
INV_THIN, TINY = F(0.5 / THINNEST), F(1e-12)
FADE_2, GUARD_2, DEEP_2 = F(HUE_FADE**2), F(GUARD**2), F(DEEP**2)
assert SKIN_SHARP == 8


@called
def density_tile(R: Any, G: Any, B: Any, p: Any, n: Any) -> None:
    """DyeDensity: p is log2 of richness, depth, what is spared of neutral and skin, cosine and sine of skin's hue, the
    mean share, and the cosine and sine terms of the shares by hue from the first on, in pairs.
    """
    rich, depth, guard, skin, skin_c, skin_s, mean = p[0], p[1], p[2], p[3], p[4], p[5], p[6]
    c0, c1, s1, c2, s2, c3, s3, c4, s4, c5, s5 = p[7], p[8], p[9], p[10], p[11], p[12], p[13], p[14], p[15], p[16], p[17]
    for i in range(n):
        r, g, b = R[i], G[i], B[i]
        x, y, z = max(r, ZERO), max(g, ZERO), max(b, ZERO)
        xx, yy, zz = x * x, y * y, z * z
        over = ONE / max((x * xx + y * yy + z * zz) / max(xx + yy + zz, LEAST), LEVEL)
        x, y, z = x * over, y * over, z * over
        x = log2_fast(kept32(x, THIN, INV_THIN))
        y = log2_fast(kept32(y, THIN, INV_THIN))
        z = log2_fast(kept32(z, THIN, INV_THIN))
        along, across = DENSITY * (x - HALF * (y + z)), DENSITY * ACROSS * (y - z)
        chroma_2 = along * along + across * across
        inv = ONE / sqrt32(chroma_2 + TINY)
        c, s = along * inv, across * inv
        # cos and sin of multiples of the hue, each from the two before.
        t = TWO * c
        cc2, ss2 = t * c - ONE, t * s
        cc3, ss3 = t * cc2 - c, t * ss2 - s
        cc4, ss4 = t * cc3 - cc2, t * ss3 - ss2
        cc5, ss5 = t * cc4 - cc3, t * ss4 - ss3
        own = c0 + c1 * c + s1 * s + c2 * cc2 + s2 * ss2 + c3 * cc3 + s3 * ss3 + c4 * cc4 + s4 * ss4 + c5 * cc5 + s5 * ss5
        coloured = chroma_2 / (chroma_2 + FADE_2)
        near = HALF + HALF * (c * skin_c + s * skin_s)
        near = near * near
        near = near * near
        near = near * near
        w = (ONE - guard * GUARD_2 / (chroma_2 + GUARD_2)) * (mean + coloured * (own - mean)) * (ONE - skin * coloured * near)
        power = exp2_fast(rich * w) - ONE
        down = depth * w * chroma_2 / (chroma_2 + DEEP_2)
        R[i] = r * exp2_fast(power * x - down)
        G[i] = g * exp2_fast(power * y - down)
        B[i] = b * exp2_fast(power * z - down)


def _row(op: DyeDensity) -> Row:
    cosines, sines = hue_series(op.shares)
    turned = np.radians(op.skin_hue)
    pairs = [v for pair in zip(cosines[1:], sines[1:], strict=True) for v in pair]
    own = [np.log2(op.richness), op.depth, op.spare_neutral, op.spare_skin, np.cos(turned), np.sin(turned)]
    return [*own, float(np.mean(op.shares)), cosines[0], *pairs]


@opcode(DyeDensity, _row)
def dye_density(call: Any) -> None:
    """DyeDensity."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    density_tile(R, G, B, p, n)
