"""The inner loop of ycbcr.py."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange

from upwelling.core.kernels import parallel


@parallel
def planes_to_rgb(luma: Any, blue: Any, red: Any, sub_x: Any, sub_y: Any, p: Any, out: Any) -> None:
    """p: y0, 1/y span, c0, 1/c span, code gain, code offset, chroma offset x, y, then what each of R, G, B takes of Cb
    and of Cr.
    """
    height, width = luma.shape
    rows, columns = blue.shape
    for y in prange(height):
        place = (y - p[7]) / sub_y
        place = min(max(place, np.float32(0)), np.float32(rows - 1))
        top = int(place)
        low = min(top + 1, rows - 1)
        fy = np.float32(place - top)
        for x in range(width):
            at = (x - p[6]) / sub_x
            at = min(max(at, np.float32(0)), np.float32(columns - 1))
            left = int(at)
            right = min(left + 1, columns - 1)
            fx = np.float32(at - left)
            w00, w01 = (1 - fy) * (1 - fx), (1 - fy) * fx
            w10, w11 = fy * (1 - fx), fy * fx
            pb = (w00 * blue[top, left] + w01 * blue[top, right] + w10 * blue[low, left] + w11 * blue[low, right] - p[2]) * p[3]
            pr = (w00 * red[top, left] + w01 * red[top, right] + w10 * red[low, left] + w11 * red[low, right] - p[2]) * p[3]
            signal = (luma[y, x] - p[0]) * p[1]
            out[y, x, 0] = (signal + p[8] * pb + p[9] * pr) * p[4] + p[5]
            out[y, x, 1] = (signal + p[10] * pb + p[11] * pr) * p[4] + p[5]
            out[y, x, 2] = (signal + p[12] * pb + p[13] * pr) * p[4] + p[5]
