"""Highlights, as an operation of the tile engine: the float32 twin of core/operations/highlights.py."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.engine.colour_kernel import smooth32
from upwelling.core.engine.layout import count, parameters, planes
from upwelling.core.engine.registry import Row, opcode
from upwelling.core.operations.highlights import LEAST, Highlights

F = np.float32
ZERO, ONE, THREE, SMALL = F(0), F(1), F(3), F(LEAST)


def _highlights_row(op: Highlights) -> Row:
    clip, light = np.array(op.clip), np.array(op.light)
    weights, span = np.array(op.weights), 1 / (1 - op.begins)
    rows = (1 / clip, light, 1 / light, clip / light, weights / float(light @ weights))
    return [*(float(v) for part in rows for v in part), -op.begins * span, span, op.rebuild]


@opcode(Highlights, _highlights_row)
def rebuild_highlights(call: Any) -> None:
    """Highlights: p is one over the clips, the light, one over it, clip over light, what of luminance each channel of the light
    is, begin over span (negative), one over the span, and whether it rebuilds."""
    p, n = parameters(call), count(call)
    R, G, B = planes(call)
    cr, cg, cb = p[0], p[1], p[2]
    lr, lg, lb = p[3], p[4], p[5]
    ir, ig, ib = p[6], p[7], p[8]
    dr, dg, db = p[9], p[10], p[11]
    wr, wg, wb = p[12], p[13], p[14]
    offset, span = p[15], p[16]
    if p[17] > ZERO:
        for i in range(n):
            r, g, b = R[i], G[i], B[i]
            ar = smooth32(r * cr * span + offset)
            ag = smooth32(g * cg * span + offset)
            ab = smooth32(b * cb * span + offset)
            held = (ONE - ar) * r * ir + (ONE - ag) * g * ig + (ONE - ab) * b * ib
            proved = max(max(ar * dr, ag * dg), ab * db)
            bright = (held + SMALL * proved) / (THREE - ar - ag - ab + SMALL)
            R[i] = r + ar * max(bright * lr - r, ZERO)
            G[i] = g + ag * max(bright * lg - g, ZERO)
            B[i] = b + ab * max(bright * lb - b, ZERO)
    else:
        for i in range(n):
            r, g, b = R[i], G[i], B[i]
            most = max(max(r * cr, g * cg), b * cb)
            share = smooth32(most * span + offset)
            bright = wr * r + wg * g + wb * b
            R[i] = r + share * (bright * lr - r)
            G[i] = g + share * (bright * lg - g)
            B[i] = b + share * (bright * lb - b)
