"""Counting kernels of the scopes."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange

from upwelling.core.kernels import parallel

BLOCKS = 16


@parallel
def parade_counts(signal: Any, low: Any, high: Any, counts: Any) -> None:
    """Adds (H, W, C) float32 signal into counts uint32 (C, levels, columns); each thread owns a range of columns."""
    height, width = signal.shape[0], signal.shape[1]
    levels, columns = counts.shape[1], counts.shape[2]
    scale = np.float32(levels - 1) / (high - low)
    for block in prange(BLOCKS):
        first, last = block * columns // BLOCKS, (block + 1) * columns // BLOCKS
        for x in range((first * width + columns - 1) // columns, (last * width + columns - 1) // columns):
            column = x * columns // width
            for y in range(height):
                for c in range(counts.shape[0]):
                    level = (min(max(signal[y, x, c], low), high) - low) * scale + np.float32(0.5)
                    counts[c, int(level), column] += 1


@parallel
def stop_counts(rgb_linear: Any, weights: Any, inv_grey: Any, low: Any, high: Any, counts: Any, extra: Any) -> None:
    """Adds (N, 3) scene-linear light into counts int64 (BLOCKS, bins) by stops from mid grey.

    extra int64 (BLOCKS, 2): pixels whose luminance is at or below 0, and above 1.0 (diffuse white).
    """
    count, bins = rgb_linear.shape[0], counts.shape[1]
    scale = bins / (high - low)
    for block in prange(BLOCKS):
        for i in range(block * count // BLOCKS, (block + 1) * count // BLOCKS):
            y = weights[0] * rgb_linear[i, 0] + weights[1] * rgb_linear[i, 1] + weights[2] * rgb_linear[i, 2]
            if y <= 0:
                extra[block, 0] += 1
            else:
                if y > 1:
                    extra[block, 1] += 1
                stop = np.log2(y * inv_grey)
                counts[block, min(max(int((stop - low) * scale), 0), bins - 1)] += 1


@parallel
def end_counts(signal: Any, low: Any, high: Any, found: Any) -> None:
    """found int64 (BLOCKS, 2): pixels of (N, 3) with any channel ≤ low, and with any channel ≥ high."""
    count = signal.shape[0]
    for block in prange(BLOCKS):
        below, above = 0, 0
        for i in range(block * count // BLOCKS, (block + 1) * count // BLOCKS):
            r, g, b = signal[i, 0], signal[i, 1], signal[i, 2]
            below += 1 if min(min(r, g), b) <= low else 0
            above += 1 if max(max(r, g), b) >= high else 0
        found[block, 0] = below
        found[block, 1] = above


@parallel
def chroma_counts(signal: Any, kr: Any, kb: Any, counts: Any) -> None:
    """Adds (N, 3) float32 signal into counts uint32 (BLOCKS, size, size): rows by Pr from low to high, columns by Pb, −0.5…0.5."""
    count, size = signal.shape[0], counts.shape[1]
    kg = np.float32(1) - kr - kb
    to_pb, to_pr = np.float32(0.5) / (np.float32(1) - kb), np.float32(0.5) / (np.float32(1) - kr)
    scale = np.float32(size - 1)
    for block in prange(BLOCKS):
        for i in range(block * count // BLOCKS, (block + 1) * count // BLOCKS):
            y = kr * signal[i, 0] + kg * signal[i, 1] + kb * signal[i, 2]
            pb = min(max((signal[i, 2] - y) * to_pb + np.float32(0.5), np.float32(0)), np.float32(1))
            pr = min(max((signal[i, 0] - y) * to_pr + np.float32(0.5), np.float32(0)), np.float32(1))
            counts[block, int(pr * scale + np.float32(0.5)), int(pb * scale + np.float32(0.5))] += 1
