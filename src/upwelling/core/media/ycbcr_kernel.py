"""The inner loop of ycbcr.py."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange

from upwelling.core.kernels import parallel


@parallel
def planes_to_rgb(luma: Any, blue: Any, red: Any, left: Any, share: Any, sub_y: Any, p: Any, out: Any) -> None:
    """p: y0, 1/y span, c0, 1/c span, code gain, code offset, chroma offset x, y, then what each of R, G, B takes of Cb
    and of Cr. ``left`` and ``share`` (W,) say between which chroma samples each pixel of a line lies.
    """
    height, width = luma.shape
    rows, columns = blue.shape
    for y in prange(height):
        place = (y - p[7]) / sub_y
        place = min(max(place, np.float32(0)), np.float32(rows - 1))
        top = int(place)
        low = min(top + 1, rows - 1)
        fy = np.float32(place - top)
        line_b = np.empty(columns + 1, np.float32)
        line_r = np.empty(columns + 1, np.float32)
        for x in range(columns):
            line_b[x] = ((1 - fy) * blue[top, x] + fy * blue[low, x] - p[2]) * p[3]
            line_r[x] = ((1 - fy) * red[top, x] + fy * red[low, x] - p[2]) * p[3]
        line_b[columns] = line_b[columns - 1]
        line_r[columns] = line_r[columns - 1]
        for x in range(width):
            at, fx = left[x], share[x]
            pb = (1 - fx) * line_b[at] + fx * line_b[at + 1]
            pr = (1 - fx) * line_r[at] + fx * line_r[at + 1]
            signal = (luma[y, x] - p[0]) * p[1]
            out[y, x, 0] = (signal + p[8] * pb + p[9] * pr) * p[4] + p[5]
            out[y, x, 1] = (signal + p[10] * pb + p[11] * pr) * p[4] + p[5]
            out[y, x, 2] = (signal + p[12] * pb + p[13] * pr) * p[4] + p[5]
