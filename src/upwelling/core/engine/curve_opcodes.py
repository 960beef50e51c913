"""Code to light and light to code: the curves of encodings as operations of the tile engine."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.curves.aces_log import PureLog
from upwelling.core.curves.camera_log import CameraLog
from upwelling.core.curves.hlg import HybridLogGamma
from upwelling.core.curves.mirrored_log import MirroredLog
from upwelling.core.curves.power_toe_log import PowerToeLog
from upwelling.core.curves.pq import PerceptualQuantiser
from upwelling.core.curves.segmented_power import PurePower, SegmentedPower
from upwelling.core.engine.layout import TILE, flat_channels, parameters
from upwelling.core.engine.registry import decodes, encodes
from upwelling.core.kernels import inline
from upwelling.core.kernels.fastmath import exp2_fast, log2_fast, signed_power_fast

F = np.float32
ZERO, HALF, ONE, THIRD, TWELFTH = F(0), F(0.5), F(1), F(1 / 3), F(1 / 12)
CC_BREAK, CC_A, CC_B, CC_LOW, CC_TOP, CC_TOP_LIN = F((9.72 - 15) / 17.52), F(17.52), F(9.72), F(2.0**-16), F((np.log2(65504.0) + 9.72) / 17.52), F(65504)
CC_LIMIT, CC_INV = F(2.0**-15), F(1 / 17.52)
PQ_M1, PQ_M2 = F(2610 / 16384), F(2523 / 4096 * 128)
PQ_IM1, PQ_IM2 = F(16384 / 2610), F(4096 / 2523 / 128)
PQ_C1, PQ_C2, PQ_C3 = F(3424 / 4096), F(2413 / 4096 * 32), F(2392 / 4096 * 32)
HLG_A_INV_LOG2E = F(1 / 0.17883277 * np.log2(np.e))
HLG_A_LN2, HLG_B, HLG_C = F(0.17883277 * np.log(2.0)), F(1 - 4 * 0.17883277), F(0.5 - 0.17883277 * np.log(4 * 0.17883277))


@inline
def log_light(x: Any, inv_slope: Any, offset: Any, a: Any, b: Any, cut: Any, toe: Any, toe_offset: Any) -> Any:
    above = exp2_fast((x - offset) * inv_slope) * a + b
    below = x * toe + toe_offset
    return above if x >= cut else below


@inline
def log_code(x: Any, slope: Any, offset: Any, a: Any, b: Any, cut: Any, toe: Any, toe_offset: Any) -> Any:
    above = log2_fast(x * a + b) * slope + offset
    below = x * toe + toe_offset
    return above if x >= cut else below


@inline
def pq_light(x: Any) -> Any:
    root = exp2_fast(log2_fast(abs(x)) * PQ_IM2)
    y = exp2_fast(log2_fast(max(root - PQ_C1, ZERO) / (PQ_C2 - PQ_C3 * root)) * PQ_IM1)
    y = y if root > PQ_C1 else ZERO
    return y if x > ZERO else -y


@inline
def pq_code(x: Any) -> Any:
    size = abs(x)
    raised = exp2_fast(log2_fast(size) * PQ_M1)
    raised = raised if size > F(1e-37) else ZERO
    y = exp2_fast(log2_fast((PQ_C1 + PQ_C2 * raised) / (ONE + PQ_C3 * raised)) * PQ_M2)
    return y if x >= ZERO else -y


@inline
def hlg_light(x: Any) -> Any:
    size = abs(x)
    above = (exp2_fast((size - HLG_C) * HLG_A_INV_LOG2E) + HLG_B) * TWELFTH
    y = size * size * THIRD if size <= HALF else above
    return y if x > ZERO else -y


@inline
def hlg_code(x: Any) -> Any:
    size = abs(x)
    root = exp2_fast(log2_fast(F(3) * size) * HALF)
    root = root if size > F(1e-37) else ZERO
    above = log2_fast(max(F(12) * size, ONE) - HLG_B) * HLG_A_LN2 + HLG_C
    y = root if size <= TWELFTH else above
    return y if x > ZERO else -y


def _lowest(curve: PowerToeLog) -> float:
    """The darkest light that a curve gives."""
    return 0.0 if curve.ends else -3e38


@decodes(
    CameraLog,
    lambda c, s: [
        1 / c.log_slope,
        c.log_offset,
        s / c.linear_slope,
        -s * c.linear_offset / c.linear_slope,
        c.break_code,
        s / c.toe_slope,
        -s * c.toe_offset / c.toe_slope,
    ],
)
def log_decode(call: Any) -> None:
    """Decode by a CameraLog."""
    p = parameters(call)
    flat = flat_channels(call)
    p0, p1, p2, p3, p4, p5, p6 = p[0], p[1], p[2], p[3], p[4], p[5], p[6]
    for i in range(3 * TILE):
        flat[i] = log_light(flat[i], p0, p1, p2, p3, p4, p5, p6)


@encodes(
    CameraLog,
    lambda c, s: [
        c.log_slope,
        c.log_offset,
        c.linear_slope / s,
        c.linear_offset,
        c.break_linear * s,
        c.toe_slope / s,
        c.toe_offset,
    ],
)
def log_encode(call: Any) -> None:
    """Encode by a CameraLog."""
    p = parameters(call)
    flat = flat_channels(call)
    p0, p1, p2, p3, p4, p5, p6 = p[0], p[1], p[2], p[3], p[4], p[5], p[6]
    for i in range(3 * TILE):
        flat[i] = log_code(flat[i], p0, p1, p2, p3, p4, p5, p6)


@decodes(SegmentedPower, lambda c, s: [c.exponent, c.a, 1 / (1 + c.a), 1 / c.slope, c.break_code, s])
def segment_decode(call: Any) -> None:
    """Decode by a SegmentedPower."""
    p = parameters(call)
    flat = flat_channels(call)
    exponent, a, inv, inv_slope, cut, scale = p[0], p[1], p[2], p[3], p[4], p[5]
    for i in range(3 * TILE):
        x = flat[i]
        above = exp2_fast(exponent * log2_fast((x + a) * inv))
        flat[i] = (above if x >= cut else x * inv_slope) * scale


@encodes(SegmentedPower, lambda c, s: [1 / c.exponent, c.a, 1 + c.a, c.slope, c.break_linear, 1 / s])
def segment_encode(call: Any) -> None:
    """Encode by a SegmentedPower."""
    p = parameters(call)
    flat = flat_channels(call)
    exponent, a, gain, slope, cut, scale = p[0], p[1], p[2], p[3], p[4], p[5]
    for i in range(3 * TILE):
        x = flat[i] * scale
        above = exp2_fast(exponent * log2_fast(x)) * gain - a
        flat[i] = above if x >= cut else x * slope


@encodes(PurePower, lambda c, s: [1 / c.exponent, 1 / s, 1.0])
@decodes(PurePower, lambda c, s: [c.exponent, 1.0, s])
def power(call: Any) -> None:
    """Signed power: p is exponent, factor before, factor after."""
    p = parameters(call)
    flat = flat_channels(call)
    exponent, before, after = p[0], p[1], p[2]
    for i in range(3 * TILE):
        flat[i] = signed_power_fast(flat[i] * before, exponent) * after


@decodes(PureLog, lambda c, s: [s])
def pure_log_decode(call: Any) -> None:
    """Decode by ACEScc: p is a factor after."""
    p = parameters(call)
    flat = flat_channels(call)
    scale = p[0]
    for i in range(3 * TILE):
        x = flat[i]
        light = exp2_fast(min(x, CC_TOP) * CC_A - CC_B)
        light = light if x > CC_BREAK else (light - CC_LOW) * F(2)
        flat[i] = (light if x < CC_TOP else CC_TOP_LIN) * scale


@encodes(PureLog, lambda c, s: [1 / s])
def pure_log_encode(call: Any) -> None:
    """Encode by ACEScc: p is a factor before."""
    p = parameters(call)
    flat = flat_channels(call)
    scale = p[0]
    for i in range(3 * TILE):
        x = max(flat[i] * scale, ZERO)
        x = x if x >= CC_LIMIT else CC_LOW + x * HALF
        flat[i] = (log2_fast(x) + CC_B) * CC_INV


@decodes(PerceptualQuantiser, lambda c, s: [s])
def pq_decode(call: Any) -> None:
    """Decode by PQ."""
    p = parameters(call)
    flat = flat_channels(call)
    scale = p[0]
    for i in range(3 * TILE):
        flat[i] = pq_light(flat[i]) * scale


@encodes(PerceptualQuantiser, lambda c, s: [1 / s])
def pq_encode(call: Any) -> None:
    """Encode by PQ."""
    p = parameters(call)
    flat = flat_channels(call)
    scale = p[0]
    for i in range(3 * TILE):
        flat[i] = pq_code(flat[i] * scale)


@decodes(HybridLogGamma, lambda c, s: [s])
def hlg_decode(call: Any) -> None:
    """Decode by HLG."""
    p = parameters(call)
    flat = flat_channels(call)
    scale = p[0]
    for i in range(3 * TILE):
        flat[i] = hlg_light(flat[i]) * scale


@encodes(HybridLogGamma, lambda c, s: [1 / s])
def hlg_encode(call: Any) -> None:
    """Encode by HLG."""
    p = parameters(call)
    flat = flat_channels(call)
    scale = p[0]
    for i in range(3 * TILE):
        flat[i] = hlg_code(flat[i] * scale)


@decodes(
    MirroredLog,
    lambda c, s: [
        1 / c.log_slope,
        c.offset_above,
        c.offset_below,
        1 / c.gain,
        *c.code_breaks,
        1 / c.line_slope,
        c.line_offset,
        s,
    ],
)
def mirror_decode(call: Any) -> None:
    """Decode by a MirroredLog."""
    p = parameters(call)
    flat = flat_channels(call)
    p0, p1, p2, p3, p4, p5, p6, p7, p8 = p[0], p[1], p[2], p[3], p[4], p[5], p[6], p[7], p[8]
    for i in range(3 * TILE):
        x = flat[i]
        above = (exp2_fast((x - p1) * p0) - ONE) * p3
        below = (ONE - exp2_fast((p2 - x) * p0)) * p3
        y = (x - p7) * p6
        y = above if x > p5 else y
        flat[i] = (below if x < p4 else y) * p8


@encodes(
    MirroredLog,
    lambda c, s: [
        c.log_slope,
        c.offset_above,
        c.offset_below,
        c.gain,
        c.break_low,
        c.break_high,
        c.line_slope,
        c.line_offset,
        1 / s,
    ],
)
def mirror_encode(call: Any) -> None:
    """Encode by a MirroredLog."""
    p = parameters(call)
    flat = flat_channels(call)
    p0, p1, p2, p3, p4, p5, p6, p7, p8 = p[0], p[1], p[2], p[3], p[4], p[5], p[6], p[7], p[8]
    for i in range(3 * TILE):
        x = flat[i] * p8
        size = log2_fast(ONE + p3 * abs(x)) * p0
        y = x * p6 + p7
        y = size + p1 if x > p5 else y
        flat[i] = p2 - size if x < p4 else y


@decodes(
    PowerToeLog,
    lambda c, s: [
        1 / c.log_slope,
        c.log_offset,
        c.linear_offset,
        c.break_code,
        1 / c.toe_gain,
        c.toe_shift,
        1 / c.toe_power,
        _lowest(c),
        s,
    ],
)
def power_toe_decode(call: Any) -> None:
    """Decode by a PowerToeLog."""
    p = parameters(call)
    flat = flat_channels(call)
    p0, p1, p2, p3, p4, p5, p6, p7, p8 = p[0], p[1], p[2], p[3], p[4], p[5], p[6], p[7], p[8]
    for i in range(3 * TILE):
        x = flat[i]
        above = exp2_fast((x - p1) * p0) - p2
        toe = signed_power_fast(max(x, p7) * p4, p6) - p5
        flat[i] = (above if x >= p3 else toe) * p8


@encodes(
    PowerToeLog,
    lambda c, s: [
        c.log_slope,
        c.log_offset,
        c.linear_offset,
        c.break_linear,
        c.toe_gain,
        c.toe_shift,
        c.toe_power,
        _lowest(c),
        1 / s,
    ],
)
def power_toe_encode(call: Any) -> None:
    """Encode by a PowerToeLog."""
    p = parameters(call)
    flat = flat_channels(call)
    p0, p1, p2, p3, p4, p5, p6, p7, p8 = p[0], p[1], p[2], p[3], p[4], p[5], p[6], p[7], p[8]
    for i in range(3 * TILE):
        x = flat[i] * p8
        above = log2_fast(max(x, p3) + p2) * p0 + p1
        toe = signed_power_fast(max(x + p5, p7), p6) * p4
        flat[i] = above if x >= p3 else toe
