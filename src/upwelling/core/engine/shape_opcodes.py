"""Shapes, joins of selections and mixing rules for the tile engine: float32 twins of operations/shapes and
operations/matte.

p of every selection begins with: how it joins (0 first, 1 and, 2 or, 3 without), whether it is inverted. A shape's goes
on with centre x and y, cosine and sine, feather inside and outside, and from p[8] on what is its own.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.engine.flat import MixBy
from upwelling.core.engine.join_kernel import join_tile
from upwelling.core.engine.layout import (
    TILE,
    channels,
    count,
    curve_tables,
    first,
    held_channels,
    parameters,
    selection,
    spare,
    where,
)
from upwelling.core.engine.registry import Row, opcode, selects
from upwelling.core.engine.tables import Tables
from upwelling.core.kernels import called, inline
from upwelling.core.kernels.acescct import code_of, light_of
from upwelling.core.kernels.fastmath import exp2_fast, log2_fast, sqrt32
from upwelling.core.operations import (
    EllipseSelection,
    LineSelection,
    PolygonSelection,
    RadialSelection,
    RectangleSelection,
)
from upwelling.core.operations.mixed import LEAST_LIGHT
from upwelling.core.operations.shapes import ELLIPSE_ROUNDS, ShapeSelection

F = np.float32
ZERO, HALF, ONE, TWO, THREE = F(0), F(0.5), F(1), F(2), F(3)
RUN = 64
"""Pixels of an ellipse that are judged together."""
SMALL, ROOT_HALF, LEAST = F(1e-9), F(0.5**0.5), F(LEAST_LIGHT)


@called
def axes_tile(U: Any, V: Any, p: Any, place: Any, start: Any, n: Any) -> None:
    """Each pixel's place along a shape's own axes."""
    left, top, step, columns = place[0] - p[2], place[1] - p[3], place[2], np.int64(place[3])
    c, s = p[4], p[5]
    i = np.int64(0)
    while i < n:
        line = (start + i) // columns
        end = min(n, (line + 1) * columns - start)
        y, first = top + F(line) * step, start - line * columns
        cy, sy = c * y, s * y
        for j in range(i, end):
            x = left + F(first + j) * step
            U[j] = c * x + sy
            V[j] = cy - s * x
        i = end


@called
def feather_tile(W: Any, A: Any, p: Any, place: Any, n: Any) -> None:
    """Distances from the edge A to weights, joined to W."""
    inside, outside = p[6] + place[2] * HALF, p[7] + place[2] * HALF
    inv = ONE / (inside + outside)
    for i in range(n):
        t = min(max((A[i] + outside) * inv, ZERO), ONE)
        A[i] = t * t * (THREE - TWO * t)
    join_tile(W, A, p, n)


@called
def ellipse_run(A: Any, U: Any, V: Any, a: Any, b: Any, n: Any) -> None:
    """The exact distances of some pixels."""
    inv_a, inv_b, difference = ONE / a, ONE / b, a * a - b * b
    for i in range(n):
        px, py = abs(U[i]), abs(V[i])
        tx, ty = ROOT_HALF, ROOT_HALF
        for _ in range(ELLIPSE_ROUNDS):
            ex, ey = difference * tx * tx * tx * inv_a, -difference * ty * ty * ty * inv_b
            rx, ry, qx, qy = a * tx - ex, b * ty - ey, px - ex, py - ey
            ratio = sqrt32((rx * rx + ry * ry) / max(qx * qx + qy * qy, SMALL))
            tx = min(max((qx * ratio + ex) * inv_a, ZERO), ONE)
            ty = min(max((qy * ratio + ey) * inv_b, ZERO), ONE)
            inv = ONE / max(sqrt32(tx * tx + ty * ty), SMALL)
            tx, ty = tx * inv, ty * inv
        dx, dy = a * tx - px, b * ty - py
        away = sqrt32(dx * dx + dy * dy)
        x, y = px * inv_a, py * inv_b
        A[i] = away if x * x + y * y <= ONE else -away


@called
def ellipse_tile(A: Any, U: Any, V: Any, p: Any, place: Any, start: Any, n: Any) -> None:
    """EllipseSelection.distance, exact within the feather. p[8] and p[9] are the half axes.

    A run of pixels in a line is no nearer to the edge than its middle less half its length, and that no nearer than the
    smaller half axis times how far it is out of the ellipse's own circle; where that is beyond the feather it will do.
    """
    a, b = p[8], p[9]
    inv_a, inv_b, columns = ONE / a, ONE / b, np.int64(place[3])
    low, reach = min(a, b), max(p[6], p[7]) + place[2] * F(RUN // 2 + 1)
    for begin in range(0, n, RUN):
        end = min(begin + RUN, n)
        middle = (begin + end) // 2
        x, y = U[middle] * inv_a, V[middle] * inv_b
        away = (ONE - sqrt32(x * x + y * y)) * low
        if abs(away) > reach and (start + begin) // columns == (start + end - 1) // columns:
            A[begin:end] = away
        else:
            ellipse_run(A[begin:end], U[begin:end], V[begin:end], a, b, end - begin)


@inline
def span_of(first: Any, slope: Any, low: Any, high: Any, count: Any) -> Any:
    """Between which of ``count`` values, first + k·slope, those from low to high lie."""
    if abs(slope) < F(1e-9):
        inside = low <= first <= high
        return np.int64(0), count if inside else np.int64(0)
    a, b = (low - first) / slope, (high - first) / slope
    near, far = min(max(min(a, b) - ONE, ZERO), F(count)), min(max(max(a, b) + TWO, ZERO), F(count))
    return np.int64(near), np.int64(far)


@called
def polygon_tile(A: Any, U: Any, V: Any, tables: Any, p: Any, place: Any, start: Any, n: Any) -> None:
    """PolygonSelection.distance, exact within the feather and beyond it at the feather's width. p[8] is where the edges
    begin, p[9] how many there are; lines of the tile that an edge is far from pass it by.
    """
    first, count = np.int64(p[8]), np.int64(p[9])
    reach = max(p[6], p[7]) + place[2]
    most = reach * reach
    columns = np.int64(place[3])
    for k in range(n):
        A[k] = most
    i = np.int64(0)
    while i < n:
        end = min(n, ((start + i) // columns + 1) * columns - start)
        lowest, highest = min(V[i], V[end - 1]), max(V[i], V[end - 1])
        slope_u = U[i + 1] - U[i] if end - i > 1 else ZERO
        for e in range(count):
            at = first + e * 4
            x0, y0, x1, y1 = tables[at], tables[at + 1], tables[at + 2], tables[at + 3]
            if min(y0, y1) - reach > highest or max(y0, y1) + reach < lowest:
                continue
            ex, ey = x1 - x0, y1 - y0
            inv = ONE / max(ex * ex + ey * ey, F(1e-18))
            near, far = span_of(U[i], slope_u, min(x0, x1) - reach, max(x0, x1) + reach, end - i)
            for j in range(i + near, i + far):
                dx, dy = U[j] - x0, V[j] - y0
                t = min(max((dx * ex + dy * ey) * inv, ZERO), ONE)
                dx, dy = dx - t * ex, dy - t * ey
                A[j] = min(A[j], dx * dx + dy * dy)
        for j in range(i, end):
            A[j] = -sqrt32(A[j])
        for e in range(count):
            at = first + e * 4
            x0, y0, x1, y1 = tables[at], tables[at + 1], tables[at + 2], tables[at + 3]
            if min(y0, y1) > highest or max(y0, y1) < lowest or y0 == y1:
                continue
            slope = (x1 - x0) / (y1 - y0)
            for j in range(i, end):
                between = (y0 <= V[j]) != (y1 <= V[j])
                right = U[j] > x0 + (V[j] - y0) * slope
                A[j] = -A[j] if between and right else A[j]
        i = end


MIXES = ("lighten", "darken", "luminance", "colour")


def _placed(op: ShapeSelection) -> Row:
    """What every shape begins with, after its join: where it stands, how it is turned, its feathers."""
    turn = np.radians(op.angle)
    return [op.x, op.y, float(np.cos(turn)), float(np.sin(turn)), op.feather_in, op.feather_out]


def _radial_row(op: RadialSelection, tables: Tables) -> Row:
    mean = (op.half_width * op.half_height) ** 0.5
    return [*_placed(op), 1 / op.half_width, 1 / op.half_height, mean]


def _polygon_row(op: PolygonSelection, tables: Tables) -> Row:
    edges = np.array(op.edges, dtype=np.float32).ravel()
    return [*_placed(op), tables.add(edges), len(op.edges)]


@selects(EllipseSelection, lambda op, tables: [*_placed(op), op.half_width, op.half_height])
def select_ellipse(call: Any) -> None:
    """EllipseSelection."""
    start, n = first(call), count(call)
    p, place, W, S = parameters(call), where(call), selection(call), spare(call)
    axes_tile(S[0], S[1], p, place, start, n)
    ellipse_tile(S[2], S[0], S[1], p, place, start, n)
    feather_tile(W, S[2], p, place, n)


@selects(RectangleSelection, lambda op, tables: [*_placed(op), op.half_width, op.half_height, op.radius])
def select_rectangle(call: Any) -> None:
    """RectangleSelection: p[8], p[9] and p[10] are half width, half height and radius."""
    start, n = first(call), count(call)
    p, place, W, S = parameters(call), where(call), selection(call), spare(call)
    axes_tile(S[0], S[1], p, place, start, n)
    U, V, A = S[0], S[1], S[2]
    wide, high, radius = p[8] - p[10], p[9] - p[10], p[10]
    for i in range(n):
        qx, qy = abs(U[i]) - wide, abs(V[i]) - high
        ox, oy = max(qx, ZERO), max(qy, ZERO)
        A[i] = radius - sqrt32(ox * ox + oy * oy) - min(max(qx, qy), ZERO)
    feather_tile(W, A, p, place, n)


@selects(LineSelection, lambda op, tables: _placed(op))
def select_line(call: Any) -> None:
    """LineSelection."""
    start, n = first(call), count(call)
    p, place, W, S = parameters(call), where(call), selection(call), spare(call)
    axes_tile(S[0], S[1], p, place, start, n)
    V, A = S[1], S[2]
    for i in range(n):
        A[i] = -V[i]
    feather_tile(W, A, p, place, n)


@selects(RadialSelection, _radial_row)
def select_radial(call: Any) -> None:
    """RadialSelection: p[8] and p[9] are one over the half axes, p[10] their mean."""
    start, n = first(call), count(call)
    p, place, W, S = parameters(call), where(call), selection(call), spare(call)
    axes_tile(S[0], S[1], p, place, start, n)
    U, V, A = S[0], S[1], S[2]
    inv_a, inv_b, mean = p[8], p[9], p[10]
    for i in range(n):
        x, y = U[i] * inv_a, V[i] * inv_b
        A[i] = mean * (ONE - sqrt32(x * x + y * y))
    feather_tile(W, A, p, place, n)


@selects(PolygonSelection, _polygon_row)
def select_polygon(call: Any) -> None:
    """PolygonSelection."""
    start, n = first(call), count(call)
    p, place, W, S, tables = parameters(call), where(call), selection(call), spare(call), curve_tables(call)
    axes_tile(S[0], S[1], p, place, start, n)
    polygon_tile(S[2], S[0], S[1], tables, p, place, start, n)
    feather_tile(W, S[2], p, place, n)


@opcode()
def selection_gamma(call: Any) -> None:
    """Raises the weights to the power p[0]."""
    n = count(call)
    p, W = parameters(call), selection(call)
    for i in range(n):
        w = min(max(W[i], ZERO), ONE)
        W[i] = exp2_fast(p[0] * log2_fast(w)) if w > ZERO else ZERO


@opcode()
def selection_inverse(call: Any) -> None:
    """What is left of 1 of the weights."""
    n = count(call)
    W = selection(call)
    for i in range(n):
        W[i] = ONE - W[i]


@called
def mix_tile(K: Any, kr: Any, kg: Any, kb: Any, r: Any, g: Any, b: Any, kept: Any, p: Any, n: Any) -> None:
    """The colour of k at the luminance of the other (``kept``: the other way round), written to K."""
    wr, wg, wb = p[1], p[2], p[3]
    R, G, B = K[0], K[1], K[2]
    for i in range(n):
        x0, y0, z0 = light_of(kr[i]), light_of(kg[i]), light_of(kb[i])
        x1, y1, z1 = light_of(r[i]), light_of(g[i]), light_of(b[i])
        held = max(wr * x0 + wg * y0 + wb * z0, LEAST)
        now = max(wr * x1 + wg * y1 + wb * z1, LEAST)
        gain = now / held if kept else held / now
        x, y, z = x0 if kept else x1, y0 if kept else y1, z0 if kept else z1
        R[i], G[i], B[i] = code_of(x * gain), code_of(y * gain), code_of(z * gain)


@opcode(MixBy, lambda op: [MIXES.index(op.rule.mix), *op.rule.luminance, op.slot])
def mix_by(call: Any) -> None:
    """MixBy: p is the rule (0 lighten, 1 darken, 2 luminance, 3 colour), the luminance weights, the slot."""
    n = count(call)
    p, C = parameters(call), channels(call)
    H = held_channels(call)[np.int64(p[4]) * 3 * TILE:]
    rule = np.int32(p[0])
    if rule < 2:
        for channel in range(3):
            x, before = C[channel], H[channel * TILE:]
            for i in range(n):
                x[i] = max(x[i], before[i]) if rule == 0 else min(x[i], before[i])
    else:
        mix_tile(C, H[0:], H[TILE:], H[2 * TILE:], C[0], C[1], C[2], rule == 2, p, n)
