"""float32 log2, exp2 and power that the compiler turns into SIMD; libm calls would stay scalar.

log2: m in [√½, √2), log2(m) = s·P(s²) with s = (m − 1)/(m + 1), P of degree 4.
exp2: 2^t for t in [−½, ½] by a polynomial of degree 6. Both are least-squares fits at Chebyshev nodes, made here at
import in float64, as is arctan: odd of degree 15 on [0, 1]. Measured worst errors are held by
tests/core/test_engine.py.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from llvmlite import ir
from numba import types
from numba.extending import intrinsic

from upwelling.core.kernels import inline

F = np.float32
I = np.int32


@intrinsic  # type: ignore[untyped-decorator]
def bits_of(typing_context: Any, x: Any) -> Any:
    """The bits of a float32 as int32."""
    return types.int32(types.float32), lambda context, builder, signature, args: builder.bitcast(args[0], ir.IntType(32))


@intrinsic  # type: ignore[untyped-decorator]
def float_of(typing_context: Any, x: Any) -> Any:
    """The float32 with these int32 bits."""
    return types.float32(types.int32), lambda context, builder, signature, args: builder.bitcast(args[0], ir.FloatType())


@intrinsic  # type: ignore[untyped-decorator]
def floor32(typing_context: Any, x: Any) -> Any:
    """floor in float32 without a detour through float64."""
    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        return builder.call(builder.module.declare_intrinsic("llvm.floor", [ir.FloatType()]), args)
    return types.float32(types.float32), generate


@intrinsic  # type: ignore[untyped-decorator]
def sqrt32(typing_context: Any, x: Any) -> Any:
    """sqrt in float32."""
    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        return builder.call(builder.module.declare_intrinsic("llvm.sqrt", [ir.FloatType()]), args)
    return types.float32(types.float32), generate


def _fit() -> tuple[Any, Any, Any]:
    nodes = np.cos(np.pi * (np.arange(400) + 0.5) / 400)
    s = nodes * (2**0.5 - 1) / (2**0.5 + 1)
    log_fit = np.linalg.lstsq(np.vander(s * s, 5, increasing=True), np.log2((1 + s) / (1 - s)) / s, rcond=None)[0]
    t = nodes * 0.5
    weight = 1 / np.exp2(t)
    exp_fit = np.linalg.lstsq(np.vander(t, 7, increasing=True) * weight[:, None], np.exp2(t) * weight, rcond=None)[0]
    x = (nodes + 1) / 2
    arc_fit = np.linalg.lstsq(np.vander(x * x, 8, increasing=True) * x[:, None], np.arctan(x), rcond=None)[0]
    return log_fit.astype(np.float32), exp_fit.astype(np.float32), arc_fit.astype(np.float32)


_log_fit, _exp_fit, _arc_fit = _fit()
A0, A1, A2, A3, A4, A5, A6, A7 = (F(v) for v in _arc_fit)
PI, HALF_PI = F(np.pi), F(np.pi / 2)
L0, L1, L2, L3, L4 = (F(v) for v in _log_fit)
E0, E1, E2, E3, E4, E5, E6 = (F(v) for v in _exp_fit)
ONE = F(1)
ROOT_HALF_BITS = I(np.float32(0.70710678).view(np.int32))
TINY = F(1.1754944e-38)
LOWEST, HIGHEST = F(-126), F(99.5)
HALF = F(0.5)
ZERO = F(0)
SHIFT = I(23)
BIAS = I(127)
A_THIRD, FOUR_THIRDS = F(1 / 3), F(4 / 3)
CUBE_GUESS = I(int(np.float32(1).view(np.int32)) * 4 / 3 - 0.0505 * 2**23)
"""Bits of the guess: 4/3 of those of 1.0, less what evens the error out over an octave."""


@inline
def log2_fast(x: Any) -> Any:
    """log2 of a positive float32; zero, negative and denormal values count as the smallest normal number."""
    x = max(x, TINY)
    i = bits_of(x)
    e = I((i - ROOT_HALF_BITS) >> SHIFT)
    m = float_of(I(i - I(e << SHIFT)))
    s = (m - ONE) / (m + ONE)
    z = s * s
    return F(e) + s * (L0 + z * (L1 + z * (L2 + z * (L3 + z * L4))))


@inline
def exp2_fast(x: Any) -> Any:
    """2^x in float32, held to 2^−126 … 2^99.5, so that what is computed from it stays finite."""
    x = min(max(x, LOWEST), HIGHEST)
    k = floor32(x + HALF)
    t = x - k
    p = E0 + t * (E1 + t * (E2 + t * (E3 + t * (E4 + t * (E5 + t * E6)))))
    return p * float_of(I((I(k) + BIAS) << SHIFT))


@inline
def cube_root_fast(x: Any) -> Any:
    """x^(1/3), 0 for x ≤ 0: Newton's steps for x^(−1/3) need no division; the first guess divides the exponent by 3."""
    held = max(x, TINY)
    y = float_of(CUBE_GUESS - I(F(bits_of(held)) * A_THIRD))
    for _ in range(3):
        y = y * (FOUR_THIRDS - held * y * y * y * A_THIRD)
    return max(x, ZERO) * y * y


@inline
def power_fast(x: Any, exponent: Any) -> Any:
    """x^exponent for x > 0, otherwise 0."""
    y = exp2_fast(exponent * log2_fast(x))
    return y if x > ZERO else ZERO


@inline
def signed_power_fast(x: Any, exponent: Any) -> Any:
    """sign(x)·|x|^exponent."""
    size = abs(x)
    y = exp2_fast(exponent * log2_fast(size))
    y = y if size > TINY else ZERO
    return y if x > ZERO else -y


@inline
def arctan2_fast(y: Any, x: Any) -> Any:
    """Angle of (x, y) in −π…π; 0 for the origin."""
    ax, ay = abs(x), abs(y)
    t = min(ax, ay) / max(max(ax, ay), TINY)
    z = t * t
    a = t * (A0 + z * (A1 + z * (A2 + z * (A3 + z * (A4 + z * (A5 + z * (A6 + z * A7)))))))
    a = HALF_PI - a if ay > ax else a
    a = PI - a if x < ZERO else a
    return a if y >= ZERO else -a
