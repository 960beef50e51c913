"""The inner loops of resample.py: a weighted sum of neighbours along each axis."""

from __future__ import annotations

from typing import Any

from numba import prange

from upwelling.core.kernels import parallel


@parallel
def across(picture: Any, firsts: Any, weights: Any, out: Any) -> None:
    """out (H, W2, 3) of picture (H, W, 3); weights (W2, taps) begin at sample ``firsts`` (W2,)."""
    height, width = out.shape[0], out.shape[1]
    taps = weights.shape[1]
    for y in prange(height):
        for x in range(width):
            r, g, b = 0.0, 0.0, 0.0
            for i in range(taps):
                w = weights[x, i]
                at = firsts[x] + i
                r += w * picture[y, at, 0]
                g += w * picture[y, at, 1]
                b += w * picture[y, at, 2]
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = r, g, b


@parallel
def down(picture: Any, firsts: Any, weights: Any, out: Any) -> None:
    """out (H2, W, 3) of picture (H, W, 3); weights (H2, taps) begin at line ``firsts`` (H2,)."""
    height, width = out.shape[0], out.shape[1]
    taps = weights.shape[1]
    for y in prange(height):
        for x in range(width):
            r, g, b = 0.0, 0.0, 0.0
            for i in range(taps):
                w = weights[y, i]
                at = firsts[y] + i
                r += w * picture[at, x, 0]
                g += w * picture[at, x, 1]
                b += w * picture[at, x, 2]
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = r, g, b
