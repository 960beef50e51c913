"""The inner loops of ycbcr.py's way from R'G'B' to planes: luma and differences, chroma halved, numbers rounded."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange

from upwelling.core.kernels import parallel, serial


@parallel
def rgb_to_differences(rgb: Any, w: Any, scale: Any, noise: Any, at_y: Any, at_x: Any, luma: Any, blue: Any, red: Any, bad: Any) -> None:
    """w: K_R, K_G, K_B, 1 ÷ (2·(1 − K_B)), 1 ÷ (2·(1 − K_R)), ½; scale: zero, span, largest code of luma
    and 0, which comes out rounded; the differences are full size. ``bad`` (H,) is set where a value is no number.
    """
    height, width = luma.shape
    mask = noise.shape[0] - 1
    half = w[5]
    for y in prange(height):
        wrong = w[0] * 0
        codes = np.empty(width, rgb.dtype)
        for x in range(width):
            r, g, b = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
            value = w[0] * r + w[1] * g + w[2] * b
            wrong += value * 0
            codes[x] = value * scale[1] + scale[0]
            blue[y, x] = (b - value) * w[3]
            red[y, x] = (r - value) * w[4]
        if mask > 0:
            for x in range(width):
                codes[x] += noise[(y + at_y) & mask, (x + at_x) & mask]
        for x in range(width):
            luma[y, x] = int(min(max(codes[x], scale[3]), scale[2]) + half)
        bad[y] = wrong != 0


@parallel
def reduce_plane(plane: Any, step_x: Any, step_y: Any, across: Any, down: Any, scale: Any, noise: Any, at_y: Any, at_x: Any, out: Any) -> None:
    """Every second sample where a step is 2, rounded. ``across`` and ``down`` weigh the samples at −1, 0, 1 and 2 from it;
    scale: zero, span and largest code.
    """
    height, width = plane.shape
    rows, columns = out.shape
    mask = noise.shape[0] - 1
    half = np.float32(0.5)
    for row in prange(rows):
        line = np.zeros(width + 3, np.float32)
        codes = np.empty(columns, np.float32)
        for j in range(4):
            if down[j] != 0:
                y = min(max(row * step_y + j - 1, 0), height - 1)
                for x in range(width):
                    line[x + 1] += down[j] * plane[y, x]
        line[0] = line[1]
        line[width + 1] = line[width]
        line[width + 2] = line[width]
        for column in range(columns):
            x = column * step_x
            total = across[0] * line[x] + across[1] * line[x + 1] + across[2] * line[x + 2] + across[3] * line[x + 3]
            codes[column] = total * scale[1] + scale[0]
        if mask > 0:
            for column in range(columns):
                codes[column] += noise[(row + at_y) & mask, (column + at_x) & mask]
        for column in range(columns):
            out[row, column] = int(min(max(codes[column], scale[3]), scale[2]) + half)


@parallel
def halve_plane(plane: Any, step_x: Any, step_y: Any, across: Any, down: Any, out: Any) -> None:
    """As reduce_plane, not rounded."""
    height, width = plane.shape
    rows, columns = out.shape
    for row in prange(rows):
        for column in range(columns):
            total = 0.0
            for j in range(4):
                y = min(max(row * step_y + j - 1, 0), height - 1)
                for i in range(4):
                    x = min(max(column * step_x + i - 1, 0), width - 1)
                    total += down[j] * across[i] * plane[y, x]
            out[row, column] = total


@serial
def diffuse_plane(plane: Any, zero: Any, span: Any, top: Any, out: Any) -> None:
    """Integers of a plane, what rounding leaves handed on to the neighbours not yet rounded, lines taken to and fro.

    Source of the weights 7, 3, 5 and 1 sixteenths: Floyd and Steinberg, An adaptive algorithm for spatial grayscale,
    Proceedings of the SID 17 (1976), from memory.
    """
    height, width = plane.shape
    now = np.zeros(width + 2)
    after = np.zeros(width + 2)
    for y in range(height):
        ahead = 1 if y % 2 == 0 else -1
        for i in range(width):
            x = i if ahead == 1 else width - 1 - i
            wanted = plane[y, x] * span + zero + now[x + 1]
            value = min(max(np.rint(wanted), 0.0), top)
            left = min(max(wanted - value, -0.5), 0.5)
            now[x + 1 + ahead] += left * 7 / 16
            after[x + 1 - ahead] += left * 3 / 16
            after[x + 1] += left * 5 / 16
            after[x + 1 + ahead] += left * 1 / 16
            out[y, x] = value
        now[:] = after
        after[:] = 0.0
