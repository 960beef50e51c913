"""Compiled sums of the fit of entries: what every entry feels when entries are moved."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange

from upwelling.core.kernels import parallel

PARTS = 8
"""Parts of the samples that add up for themselves, so that cores do not write to one place."""


@parallel
def pulled(places: Any, shares: Any, metric: Any, moved: Any, parts: Any) -> None:
    """Into parts (PARTS, M, 3): Σ share·G·(Σ share·moved) over each part's samples.

    places int32 (N, K): the entries a sample mixes; shares float32 (N, K); metric float32 (N, 6): G's xx, yy, zz, xy,
    xz, yz; moved float64 (M, 3).
    """
    count, corners = places.shape
    for part in prange(PARTS):
        out = parts[part]
        out[:] = 0.0
        for n in range(part * count // PARTS, (part + 1) * count // PARTS):
            x = 0.0
            y = 0.0
            z = 0.0
            for k in range(corners):
                at = places[n, k]
                share = np.float64(shares[n, k])
                x += share * moved[at, 0]
                y += share * moved[at, 1]
                z += share * moved[at, 2]
            g = metric[n]
            a = g[0] * x + g[3] * y + g[4] * z
            b = g[3] * x + g[1] * y + g[5] * z
            c = g[4] * x + g[5] * y + g[2] * z
            for k in range(corners):
                at = places[n, k]
                share = np.float64(shares[n, k])
                out[at, 0] += share * a
                out[at, 1] += share * b
                out[at, 2] += share * c


@parallel
def predicted(places: Any, shares: Any, metric: Any, missed: Any, parts: Any, weights: Any) -> None:
    """Into parts (PARTS, M, 3) Σ share·G·missed, and into weights (PARTS, M, 3) Σ share²·diag G; missed float64 (N, 3).
    """
    count, corners = places.shape
    for part in prange(PARTS):
        out, heavy = parts[part], weights[part]
        out[:] = 0.0
        heavy[:] = 0.0
        for n in range(part * count // PARTS, (part + 1) * count // PARTS):
            g = metric[n]
            x, y, z = missed[n, 0], missed[n, 1], missed[n, 2]
            a = g[0] * x + g[3] * y + g[4] * z
            b = g[3] * x + g[1] * y + g[5] * z
            c = g[4] * x + g[5] * y + g[2] * z
            for k in range(corners):
                at = places[n, k]
                share = np.float64(shares[n, k])
                out[at, 0] += share * a
                out[at, 1] += share * b
                out[at, 2] += share * c
                square = share * share
                heavy[at, 0] += square * g[0]
                heavy[at, 1] += square * g[1]
                heavy[at, 2] += square * g[2]
