"""Counting kernels of the scopes. ``spans`` int32 (H, 2) says which columns of each row are measured, from first to before last."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange

from upwelling.core.fastmath import log2_fast
from upwelling.core.kernels import parallel

BLOCKS = 16
F = np.float32
ZERO, HALF, ONE = F(0), F(0.5), F(1)


@parallel
def level_counts(signal: Any, low: Any, high: Any, spans: Any, counts: Any) -> None:
    """Adds (H, W, C) float32 signal into counts uint32 (C, levels, columns); each thread owns a range of columns."""
    height, width = signal.shape[0], signal.shape[1]
    levels, columns = counts.shape[1], counts.shape[2]
    scale = F(levels - 1) / (high - low)
    for block in prange(BLOCKS):
        first, last = block * columns // BLOCKS, (block + 1) * columns // BLOCKS
        for x in range((first * width + columns - 1) // columns, (last * width + columns - 1) // columns):
            column = x * columns // width
            for y in range(height):
                if spans[y, 0] <= x < spans[y, 1]:
                    for c in range(counts.shape[0]):
                        level = (min(max(signal[y, x, c], low), high) - low) * scale + HALF
                        counts[c, int(level), column] += 1


@parallel
def luma_counts(signal: Any, wr: Any, wg: Any, wb: Any, low: Any, high: Any, spans: Any, counts: Any) -> None:
    """As ``level_counts`` of the weighted sum of the three channels, into counts uint32 (1, levels, columns)."""
    height, width = signal.shape[0], signal.shape[1]
    levels, columns = counts.shape[1], counts.shape[2]
    scale = F(levels - 1) / (high - low)
    for block in prange(BLOCKS):
        first, last = block * columns // BLOCKS, (block + 1) * columns // BLOCKS
        for x in range((first * width + columns - 1) // columns, (last * width + columns - 1) // columns):
            column = x * columns // width
            for y in range(height):
                if spans[y, 0] <= x < spans[y, 1]:
                    value = wr * signal[y, x, 0] + wg * signal[y, x, 1] + wb * signal[y, x, 2]
                    counts[0, int((min(max(value, low), high) - low) * scale + HALF), column] += 1


@parallel
def chroma_counts(signal: Any, kr: Any, kb: Any, gain: Any, spans: Any, counts: Any) -> None:
    """Adds (H, W, 3) float32 signal into counts uint32 (BLOCKS, size, size): rows by Pr from low to high, columns by Pb.

    The plot shows −0.5…0.5 over ``gain``; what lies beyond it is not counted.
    """
    height, size = signal.shape[0], counts.shape[1]
    kg = ONE - kr - kb
    to_pb, to_pr = HALF / (ONE - kb) * gain, HALF / (ONE - kr) * gain
    scale = F(size - 1)
    for block in prange(BLOCKS):
        for y in range(block * height // BLOCKS, (block + 1) * height // BLOCKS):
            for x in range(spans[y, 0], spans[y, 1]):
                r, b = signal[y, x, 0], signal[y, x, 2]
                luma = kr * r + kg * signal[y, x, 1] + kb * b
                column, row = ((b - luma) * to_pb + HALF) * scale + HALF, ((r - luma) * to_pr + HALF) * scale + HALF
                if ZERO <= column < size and ZERO <= row < size:
                    counts[block, int(row), int(column)] += 1


@parallel
def uv_counts(rgb: Any, m: Any, top: Any, spans: Any, counts: Any) -> None:
    """Adds linear (H, W, 3) into counts uint32 (BLOCKS, size, size): rows v', columns u', both 0…top; m is 3×3 to XYZ."""
    height, size = rgb.shape[0], counts.shape[1]
    scale = F(size - 1) / top
    for block in prange(BLOCKS):
        for row in range(block * height // BLOCKS, (block + 1) * height // BLOCKS):
            for i in range(spans[row, 0], spans[row, 1]):
                r, g, b = rgb[row, i, 0], rgb[row, i, 1], rgb[row, i, 2]
                x, y, z = m[0, 0] * r + m[0, 1] * g + m[0, 2] * b, m[1, 0] * r + m[1, 1] * g + m[1, 2] * b, m[2, 0] * r + m[2, 1] * g + m[2, 2] * b
                below = x + F(15) * y + F(3) * z
                if below > F(1e-5):
                    u, v = F(4) * x / below * scale + HALF, F(9) * y / below * scale + HALF
                    if ZERO <= u < size and ZERO <= v < size:
                        counts[block, int(v), int(u)] += 1


@parallel
def scene_counts(rgb: Any, weights: Any, to_output: Any, inv_grey: Any, low: Any, high: Any, spans: Any, counts: Any, extra: Any) -> None:
    """Adds scene-linear (H, W, 3) into counts int64 (BLOCKS, bins) by stops from mid grey.

    extra int64 (BLOCKS, 5): pixels; of them with luminance ≤ 0, any channel < 0, luminance above 1, outside the output's gamut:
    a channel of the output's primaries below −0.1 % of the largest.
    """
    height, bins = rgb.shape[0], counts.shape[1]
    scale = F(bins / (high - low))
    bottom = F(low)
    m = to_output
    for block in prange(BLOCKS):
        dark, negative, bright, outside, total = 0, 0, 0, 0, 0
        for row in range(block * height // BLOCKS, (block + 1) * height // BLOCKS):
            total += max(spans[row, 1] - spans[row, 0], 0)
            for i in range(spans[row, 0], spans[row, 1]):
                r, g, b = rgb[row, i, 0], rgb[row, i, 1], rgb[row, i, 2]
                y = weights[0] * r + weights[1] * g + weights[2] * b
                negative += 1 if min(min(r, g), b) < ZERO else 0
                x, v, z = m[0, 0] * r + m[0, 1] * g + m[0, 2] * b, m[1, 0] * r + m[1, 1] * g + m[1, 2] * b, m[2, 0] * r + m[2, 1] * g + m[2, 2] * b
                outside += 1 if min(min(x, v), z) < F(-0.001) * max(max(x, v), z) else 0
                if y <= ZERO:
                    dark += 1
                else:
                    bright += 1 if y > ONE else 0
                    place = (log2_fast(y * inv_grey) - bottom) * scale
                    counts[block, min(max(int(place), 0), bins - 1)] += 1
        extra[block, 0], extra[block, 1], extra[block, 2], extra[block, 3], extra[block, 4] = total, dark, negative, bright, outside


@parallel
def signal_counts(signal: Any, code: Any, plateau: Any, low: Any, high: Any, spans: Any, found: Any, sums: Any) -> None:
    """found int64 (BLOCKS, 4): pixels of signal with any channel ≤ low; ≥ high; ≥ high though the file's code is under ``plateau``;
    and with the file's code at ``plateau`` or above. sums float64 (BLOCKS, 6): sum and sum of squares of each channel."""
    height = signal.shape[0]
    for block in prange(BLOCKS):
        below, above, ours, camera = 0, 0, 0, 0
        s0, s1, s2, q0, q1, q2 = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        for y in range(block * height // BLOCKS, (block + 1) * height // BLOCKS):
            for x in range(spans[y, 0], spans[y, 1]):
                r, g, b = signal[y, x, 0], signal[y, x, 1], signal[y, x, 2]
                clipped = max(max(code[y, x, 0], code[y, x, 1]), code[y, x, 2]) >= plateau
                top = max(max(r, g), b) >= high
                below += 1 if min(min(r, g), b) <= low else 0
                above += 1 if top else 0
                ours += 1 if top and not clipped else 0
                camera += 1 if clipped else 0
                s0 += r
                s1 += g
                s2 += b
                q0 += r * r
                q1 += g * g
                q2 += b * b
        found[block, 0], found[block, 1], found[block, 2], found[block, 3] = below, above, ours, camera
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
            if max(max(code[y, x, 0], code[y, x, 1]), code[y, x, 2]) >= plateau:
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
