"""Counting kernels of the scopes. Places in tables are held as whole numbers, so that no value can write outside them.

``spans`` int32 (H, 2) says which columns of each row are measured, from first to before last.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange

from upwelling.core.kernels import inline, parallel
from upwelling.core.kernels.fastmath import log2_fast

BLOCKS, FEW = 16, 4
"""Parts the work is cut into; few where each part has a large table of its own."""
F = np.float32
ZERO, HALF, ONE = F(0), F(0.5), F(1)


@parallel
def level_counts(signal: Any, low: Any, high: Any, spans: Any, places: Any, counts: Any) -> None:
    """Adds (H, W, C) float32 signal into counts uint32 (C, columns, levels); each thread owns a range of columns, small enough to stay
    in the first cache.

    places uint32 (W,): the column of counts that each column of the picture belongs to.
    """
    height, width, channels = signal.shape
    levels, last_level = np.uint32(counts.shape[2]), np.int32(counts.shape[2] - 1)
    flat = counts.reshape(channels, counts.shape[1] * counts.shape[2])
    scale = F(counts.shape[2] - 1) / (high - low)
    for block in prange(BLOCKS):
        first, last = edges(width, places, block, counts.shape[1])
        level, plane = np.empty((channels, width), np.uint32), np.empty((channels, width), np.float32)
        for y in range(height):
            start, end = max(first, spans[y, 0]), max(min(last, spans[y, 1]), max(first, spans[y, 0]))
            part, where = signal[y, start:end], places[start:end]
            n = part.shape[0]
            for i in range(n):
                for c in range(channels):
                    plane[c, i] = part[i, c]
            for c in range(channels):
                values, cells, table = plane[c], level[c], flat[c]
                for i in range(n):
                    at = np.int32((min(max(values[i], low), high) - low) * scale + HALF)
                    cells[i] = np.uint32(min(max(at, np.int32(0)), last_level)) + where[i] * levels
                for i in range(n):
                    table[cells[i]] += np.uint32(1)


@parallel
def luma_counts(
    signal: Any, wr: Any, wg: Any, wb: Any, low: Any, high: Any, spans: Any, places: Any, counts: Any
) -> None:
    """As ``level_counts`` of the weighted sum of the three channels, into counts uint32 (1, columns, levels)."""
    height, width = signal.shape[0], signal.shape[1]
    last_level = np.int32(counts.shape[2] - 1)
    scale = F(counts.shape[2] - 1) / (high - low)
    for block in prange(BLOCKS):
        first, last = edges(width, places, block, counts.shape[1])
        for y in range(height):
            start, end = max(first, spans[y, 0]), max(min(last, spans[y, 1]), max(first, spans[y, 0]))
            part, where = signal[y, start:end], places[start:end]
            for i in range(part.shape[0]):
                value = wr * part[i, 0] + wg * part[i, 1] + wb * part[i, 2]
                at = np.int32((min(max(value, low), high) - low) * scale + HALF)
                counts[0, where[i], min(max(at, np.int32(0)), last_level)] += np.uint32(1)


@inline
def edges(width: Any, places: Any, block: Any, columns: Any) -> Any:
    """First and before-last column of the picture whose places belong to a block's share of the scope's columns."""
    first = np.searchsorted(places, block * columns // BLOCKS)
    return first, np.searchsorted(places, (block + 1) * columns // BLOCKS)


@inline
def held(x: Any, most: Any, size: Any) -> Any:
    """A place as a whole number 0…size − 1; what is not a number has some place, too, but none outside."""
    return min(max(np.int32(min(max(x, ZERO), most)), np.int32(0)), size - np.int32(1))


@parallel
def chroma_counts(signal: Any, kr: Any, kb: Any, gain: Any, spans: Any, counts: Any) -> None:
    """Adds (H, W, 3) float32 signal into counts uint32 (FEW, size, size): rows by Pr from low to high, columns by Pb.

    The plot shows −0.5…0.5 over ``gain``; what lies beyond it is not counted.
    """
    height, size = signal.shape[0], np.int32(counts.shape[1])
    kg = ONE - kr - kb
    to_pb, to_pr = HALF / (ONE - kb) * gain, HALF / (ONE - kr) * gain
    scale, most = F(size - 1), F(size) - F(0.25)
    for block in prange(FEW):
        cell = np.empty(signal.shape[1], np.int32)
        R, G, B = (
            np.empty(signal.shape[1], np.float32),
            np.empty(signal.shape[1], np.float32),
            np.empty(signal.shape[1], np.float32),
        )
        flat = counts[block].reshape(counts.shape[1] * counts.shape[2])
        for y in range(block * height // FEW, (block + 1) * height // FEW):
            part = signal[y, spans[y, 0] : spans[y, 1]]
            n = part.shape[0]
            for x in range(n):
                R[x], G[x], B[x] = part[x, 0], part[x, 1], part[x, 2]
            for x in range(n):
                r, b = R[x], B[x]
                luma = kr * r + kg * G[x] + kb * b
                column, row = ((b - luma) * to_pb + HALF) * scale + HALF, ((r - luma) * to_pr + HALF) * scale + HALF
                inside = min(column, row) >= ZERO and max(column, row) < most
                at = held(row, most, size) * size + held(column, most, size)
                cell[x] = at if inside else np.int32(-1)
            for x in range(n):
                if cell[x] >= 0:
                    flat[np.uint32(cell[x])] += np.uint32(1)


@parallel
def uv_counts(rgb: Any, m: Any, top: Any, spans: Any, counts: Any) -> None:
    """Adds linear (H, W, 3) into counts uint32 (FEW, size, size): rows v', columns u', both 0…top; m is 3×3 to XYZ.

    Pixels with hardly any light (X + 15Y + 3Z under 1e-5) have no chromaticity and are not counted.
    """
    height, size = rgb.shape[0], np.int32(counts.shape[1])
    scale, most = F(size - 1) / top, F(size) - F(0.25)
    # u' = 4X/(X + 15Y + 3Z), v' = 9Y/(X + 15Y + 3Z), CIE 015:2018.
    u0, u1, u2 = F(4) * m[0, 0], F(4) * m[0, 1], F(4) * m[0, 2]
    v0, v1, v2 = F(9) * m[1, 0], F(9) * m[1, 1], F(9) * m[1, 2]
    d0, d1, d2 = (
        m[0, 0] + F(15) * m[1, 0] + F(3) * m[2, 0],
        m[0, 1] + F(15) * m[1, 1] + F(3) * m[2, 1],
        m[0, 2] + F(15) * m[1, 2] + F(3) * m[2, 2],
    )
    for block in prange(FEW):
        cell = np.empty(rgb.shape[1], np.int32)
        R, G, B = (
            np.empty(rgb.shape[1], np.float32),
            np.empty(rgb.shape[1], np.float32),
            np.empty(rgb.shape[1], np.float32),
        )
        flat = counts[block].reshape(counts.shape[1] * counts.shape[2])
        for y in range(block * height // FEW, (block + 1) * height // FEW):
            part = rgb[y, spans[y, 0] : spans[y, 1]]
            n = part.shape[0]
            for i in range(n):
                R[i], G[i], B[i] = part[i, 0], part[i, 1], part[i, 2]
            for i in range(n):
                r, g, b = R[i], G[i], B[i]
                below = d0 * r + d1 * g + d2 * b
                inverse = scale / max(below, F(1e-5))
                u, v = (u0 * r + u1 * g + u2 * b) * inverse + HALF, (v0 * r + v1 * g + v2 * b) * inverse + HALF
                inside = below > F(1e-5) and min(u, v) >= ZERO and max(u, v) < most
                at = held(v, most, size) * size + held(u, most, size)
                cell[i] = at if inside else np.int32(-1)
            for i in range(n):
                if cell[i] >= 0:
                    flat[np.uint32(cell[i])] += np.uint32(1)


@parallel
def scene_counts(
    rgb: Any, weights: Any, to_output: Any, inv_grey: Any, low: Any, high: Any, spans: Any, counts: Any, extra: Any
) -> None:
    """Adds scene-linear (H, W, 3) into counts int64 (BLOCKS, bins) by stops from mid grey.

    extra int64 (BLOCKS, 5): pixels; of them with luminance ≤ 0, any channel < 0, luminance above 1, outside the output's gamut:
    a channel of the output's primaries below −0.1 % of the largest.
    """
    height, bins = rgb.shape[0], counts.shape[1]
    scale = F(bins / (high - low))
    bottom, last = F(low), F(bins - 1)
    m0, m1, m2, m3, m4, m5, m6, m7, m8 = (
        to_output[0, 0],
        to_output[0, 1],
        to_output[0, 2],
        to_output[1, 0],
        to_output[1, 1],
        to_output[1, 2],
        to_output[2, 0],
        to_output[2, 1],
        to_output[2, 2],
    )
    w0, w1, w2 = weights[0], weights[1], weights[2]
    one, none = np.int32(1), np.int32(0)
    for block in prange(BLOCKS):
        place = np.empty(rgb.shape[1], np.int32)
        R, G, B = (
            np.empty(rgb.shape[1], np.float32),
            np.empty(rgb.shape[1], np.float32),
            np.empty(rgb.shape[1], np.float32),
        )
        local = np.zeros(bins, np.int64)
        dark, negative, bright, outside, total = 0, 0, 0, 0, 0
        for row in range(block * height // BLOCKS, (block + 1) * height // BLOCKS):
            part = rgb[row, spans[row, 0] : spans[row, 1]]
            n = part.shape[0]
            total += n
            a, d, e, o = none, none, none, none
            for i in range(n):
                R[i] = part[i, 0]
                G[i] = part[i, 1]
                B[i] = part[i, 2]
            for i in range(n):  # arithmetic alone on planar rows, so that the compiler makes SIMD of it
                r, g, b = R[i], G[i], B[i]
                y = w0 * r + w1 * g + w2 * b
                x, v, z = m0 * r + m1 * g + m2 * b, m3 * r + m4 * g + m5 * b, m6 * r + m7 * g + m8 * b
                a += one if min(min(r, g), b) < ZERO else none
                o += one if min(min(x, v), z) < F(-0.001) * max(max(x, v), z) else none
                d += one if y <= ZERO else none
                e += one if y > ONE else none
                at = held((log2_fast(y * inv_grey) - bottom) * scale, last, np.int32(bins))
                place[i] = at if y > ZERO else np.int32(-1)
            negative, dark, bright, outside = negative + int(a), dark + int(d), bright + int(e), outside + int(o)
            for i in range(n):
                if place[i] >= 0:
                    local[place[i]] += 1
        for i in range(bins):
            counts[block, i] = local[i]
        extra[block, 0], extra[block, 1], extra[block, 2], extra[block, 3], extra[block, 4] = (
            total,
            dark,
            negative,
            bright,
            outside,
        )


@parallel
def signal_counts(signal: Any, code: Any, plateau: Any, low: Any, high: Any, spans: Any, found: Any, sums: Any) -> None:
    """found int64 (BLOCKS, 7): pixels of signal with any channel ≤ low; ≥ high; ≥ high though the file's code is under ``plateau`` (3,);
    with any channel of the file's code at its plateau or above; and with red, green, blue there. sums float64 (BLOCKS, 6): sum and
    sum of squares of each channel."""
    height = signal.shape[0]
    one, none = np.int32(1), np.int32(0)
    for block in prange(BLOCKS):
        below, above, ours, camera, c0, c1, c2 = 0, 0, 0, 0, 0, 0, 0
        s0, s1, s2, q0, q1, q2 = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        for y in range(block * height // BLOCKS, (block + 1) * height // BLOCKS):
            n0, n1, n2, n3, m0, m1, m2 = none, none, none, none, none, none, none
            a0, a1, a2, b0, b1, b2 = ZERO, ZERO, ZERO, ZERO, ZERO, ZERO
            part, recorded = signal[y, spans[y, 0] : spans[y, 1]], code[y, spans[y, 0] : spans[y, 1]]
            for x in range(part.shape[0]):  # sums of one row in float32, of rows in float64
                r, g, b = part[x, 0], part[x, 1], part[x, 2]
                k0 = one if recorded[x, 0] >= plateau[0] else none
                k1 = one if recorded[x, 1] >= plateau[1] else none
                k2 = one if recorded[x, 2] >= plateau[2] else none
                clipped = k0 | k1 | k2
                m0 += k0
                m1 += k1
                m2 += k2
                top = one if max(max(r, g), b) >= high else none
                n0 += one if min(min(r, g), b) <= low else none
                n1 += top
                n2 += top * (one - clipped)
                n3 += clipped
                a0 += r
                a1 += g
                a2 += b
                b0 += r * r
                b1 += g * g
                b2 += b * b
            below, above, ours, camera = below + int(n0), above + int(n1), ours + int(n2), camera + int(n3)
            c0, c1, c2 = c0 + int(m0), c1 + int(m1), c2 + int(m2)
            s0, s1, s2, q0, q1, q2 = (
                s0 + float(a0),
                s1 + float(a1),
                s2 + float(a2),
                q0 + float(b0),
                q1 + float(b1),
                q2 + float(b2),
            )
        found[block, 0], found[block, 1], found[block, 2], found[block, 3] = below, above, ours, camera
        found[block, 4], found[block, 5], found[block, 6] = c0, c1, c2
        sums[block, 0], sums[block, 1], sums[block, 2] = s0, s1, s2
        sums[block, 3], sums[block, 4], sums[block, 5] = q0, q1, q2


@parallel
def band_picture(rgb: Any, weights: Any, inv_grey: Any, low: Any, palette: Any, picture: Any) -> None:
    """uint8 picture (H, W, 3) of the palette's colour (bands, 3) for each pixel's whole stop from ``low`` up; ends hold."""
    height, width, bands = rgb.shape[0], rgb.shape[1], palette.shape[0]
    for y in prange(height):
        for x in range(width):
            light = weights[0] * rgb[y, x, 0] + weights[1] * rgb[y, x, 1] + weights[2] * rgb[y, x, 2]
            stop = log2_fast(max(light, F(1e-30)) * inv_grey) - low
            band = min(max(int(np.floor(stop)), 0), bands - 1)
            for c in range(3):
                picture[y, x, c] = palette[band, c]


@parallel
def clip_picture(signal: Any, code: Any, plateau: Any, low: Any, high: Any, palette: Any, picture: Any) -> None:
    """uint8 picture (H, W, 3): palette rows 0 at black, 1 at the peak by us, 2 clipped in camera; elsewhere a dim grey of the signal."""
    height, width = signal.shape[0], signal.shape[1]
    for y in prange(height):
        for x in range(width):
            r, g, b = signal[y, x, 0], signal[y, x, 1], signal[y, x, 2]
            kind = -1
            if min(min(r, g), b) <= low:
                kind = 0
            if max(max(r, g), b) >= high:
                kind = 1
            if code[y, x, 0] >= plateau[0] or code[y, x, 1] >= plateau[1] or code[y, x, 2] >= plateau[2]:
                kind = 2
            grey = min(max(F(0.2126) * r + F(0.7152) * g + F(0.0722) * b, ZERO), ONE)
            for c in range(3):
                picture[y, x, c] = palette[kind, c] if kind >= 0 else np.uint8(F(40) + F(150) * grey)


@parallel
def code_bytes(view: Any, picture: Any) -> None:
    """uint8 (H, W, 3) of codes 0…1, rounded and held."""
    height, width = view.shape[0], view.shape[1]
    for y in prange(height):
        for x in range(width):
            for c in range(3):
                picture[y, x, c] = np.uint8(min(max(view[y, x, c], ZERO), ONE) * F(255) + HALF)
