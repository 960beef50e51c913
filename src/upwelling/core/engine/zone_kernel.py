"""The kernel of gains and saturation by zone."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.engine.colour_kernel import NORMS, STOP_CELLS, norm_tile
from upwelling.core.engine.layout import count, curve_tables, parameters, planes, spare
from upwelling.core.engine.read_kernel import read_row
from upwelling.core.engine.registry import Row, with_tables
from upwelling.core.engine.tables import Tables, sampled
from upwelling.core.kernels import called
from upwelling.core.kernels.fastmath import exp2_fast
from upwelling.core.operations import ZoneGains


@called
def zone_tile(R: Any, G: Any, B: Any, S: Any, p: Any, tables: Any, n: Any) -> None:
    """p is the norm's number, luminance weights, low, inverse cell, cells, and where the four curves start."""
    wr, wg, wb, low, inv, cells = p[1], p[2], p[3], p[4], p[5], p[6]
    N, red, green, blue, times = S[0], S[1], S[2], S[3], S[4]
    norm_tile(R, G, B, N, p, n)
    read_row(tables, np.int32(p[7]), low, inv, cells, N, red, S[5], n)
    read_row(tables, np.int32(p[8]), low, inv, cells, N, green, S[5], n)
    read_row(tables, np.int32(p[9]), low, inv, cells, N, blue, S[5], n)
    read_row(tables, np.int32(p[10]), low, inv, cells, N, times, S[5], n)
    for i in range(n):
        y = wr * R[i] + wg * G[i] + wb * B[i]
        R[i] = (y + times[i] * (R[i] - y)) * exp2_fast(red[i])
        G[i] = (y + times[i] * (G[i] - y)) * exp2_fast(green[i])
        B[i] = (y + times[i] * (B[i] - y)) * exp2_fast(blue[i])


def _row(op: ZoneGains, tables: Tables) -> Row:
    low, high = op.saturation.span
    starts = [
        tables.add(sampled((curve,), low, high, STOP_CELLS)) for curve in (op.red, op.green, op.blue, op.saturation)
    ]
    return [NORMS.index(op.norm), *op.luminance, low, STOP_CELLS / (high - low), STOP_CELLS, *starts]


@with_tables(ZoneGains, _row)
def zone_gains(call: Any) -> None:
    """ZoneGains."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    scratch = spare(call)
    tables = curve_tables(call)
    zone_tile(R, G, B, scratch, p, tables, n)
