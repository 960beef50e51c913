"""Demosaicing loops: bilinear, and the linear filters of Malvar, He and Cutler.

Source: H. S. Malvar, L. He, R. Cutler, “High-quality linear interpolation for demosaicing of Bayer-patterned color
images”, ICASSP 2004, figure 2 (coefficients in eighths). Borders are mirrored about the edge pixel, which keeps the
pattern.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange

from upwelling.core.kernels import inline, parallel


@inline
def _mirror(i: Any, n: Any) -> Any:
    i = -i if i < 0 else i
    return 2 * (n - 1) - i if i >= n else i


@parallel
def demosaic_bilinear(mosaic: Any, pattern: Any, gains: Any, out: Any) -> None:
    """Each missing colour is the mean of its neighbours in the 3 × 3 about the pixel. ``gains`` is not used."""
    height, width = mosaic.shape
    for y in prange(height):
        for x in range(width):
            own = pattern[(y & 1) * 2 + (x & 1)]
            for c in range(3):
                total, count = np.float32(0), 0
                if c == own:
                    total, count = mosaic[y, x], 1
                else:
                    for dy in range(-1, 2):
                        for dx in range(-1, 2):
                            yy, xx = _mirror(y + dy, height), _mirror(x + dx, width)
                            if pattern[(yy & 1) * 2 + (xx & 1)] == c:
                                total += mosaic[yy, xx]
                                count += 1
                out[y, x, c] = total / count


@parallel
def demosaic_malvar(mosaic: Any, pattern: Any, gains: Any, out: Any) -> None:
    """The paper's eight filters, on the mosaic balanced by ``gains`` (3,), which is undone in ``out``."""
    height, width = mosaic.shape
    half, eighth = np.float32(0.5), np.float32(0.125)
    for y in prange(height):
        y1, y2, u1, u2 = _mirror(y + 1, height), _mirror(y + 2, height), _mirror(y - 1, height), _mirror(y - 2, height)
        for x in range(width):
            x1, x2, l1, l2 = _mirror(x + 1, width), _mirror(x + 2, width), _mirror(x - 1, width), _mirror(x - 2, width)
            own = pattern[(y & 1) * 2 + (x & 1)]
            beside = pattern[(y & 1) * 2 + ((x + 1) & 1)]
            above = pattern[((y + 1) & 1) * 2 + (x & 1)]
            corner = pattern[((y + 1) & 1) * 2 + ((x + 1) & 1)]
            g, gb, ga, gc = gains[own], gains[beside], gains[above], gains[corner]
            centre = mosaic[y, x] * g
            sides = (mosaic[y, l1] + mosaic[y, x1]) * gb
            verticals = (mosaic[u1, x] + mosaic[y1, x]) * ga
            corners = (mosaic[u1, l1] + mosaic[u1, x1] + mosaic[y1, l1] + mosaic[y1, x1]) * gc
            far_sides = (mosaic[y, l2] + mosaic[y, x2]) * g
            far_verticals = (mosaic[u2, x] + mosaic[y2, x]) * g
            out[y, x, own] = mosaic[y, x]
            if own == 1:
                # Green place: the colour beside it in the row, and the one above it.
                row = (5 * centre + 4 * sides - corners - far_sides + half * far_verticals) * eighth
                column = (5 * centre + 4 * verticals - corners - far_verticals + half * far_sides) * eighth
                out[y, x, beside] = row / gb
                out[y, x, above] = column / ga
            else:
                green = (4 * centre + 2 * (sides + verticals) - far_sides - far_verticals) * eighth
                other = (6 * centre + 2 * corners - np.float32(1.5) * (far_sides + far_verticals)) * eighth
                out[y, x, 1] = green / gains[1]
                out[y, x, corner] = other / gc
