"""The inner loop of ycbcr.py."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange

from upwelling.core.kernels import parallel


@parallel
def planes_to_rgb(luma: Any, blue: Any, red: Any, sub_x: Any, sub_y: Any, p: Any, out: Any) -> None:
    """p: y0, 1/y span, c0, 1/c span, 2(1−Kr), 2(1−Kb), Kr, Kb, code gain, code offset, chroma offset x, y."""
    height, width = luma.shape
    rows, columns = blue.shape
    green = np.float32(1) / (np.float32(1) - p[6] - p[7])
    for y in prange(height):
        place = (y - p[11]) / sub_y
        place = min(max(place, np.float32(0)), np.float32(rows - 1))
        top = int(place)
        low = min(top + 1, rows - 1)
        fy = np.float32(place - top)
        for x in range(width):
            at = (x - p[10]) / sub_x
            at = min(max(at, np.float32(0)), np.float32(columns - 1))
            left = int(at)
            right = min(left + 1, columns - 1)
            fx = np.float32(at - left)
            w00, w01 = (1 - fy) * (1 - fx), (1 - fy) * fx
            w10, w11 = fy * (1 - fx), fy * fx
            pb = (w00 * blue[top, left] + w01 * blue[top, right] + w10 * blue[low, left] + w11 * blue[low, right] - p[2]) * p[3]
            pr = (w00 * red[top, left] + w01 * red[top, right] + w10 * red[low, left] + w11 * red[low, right] - p[2]) * p[3]
            signal = (luma[y, x] - p[0]) * p[1]
            r = signal + p[4] * pr
            b = signal + p[5] * pb
            g = (signal - p[6] * r - p[7] * b) * green
            out[y, x, 0] = r * p[8] + p[9]
            out[y, x, 1] = g * p[8] + p[9]
            out[y, x, 2] = b * p[8] + p[9]
