"""The ASC CDL that comes nearest to a whole correction: fitted to what the correction does to log codes."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.lut.process import CdlNode

LOW = (*(0.05,) * 3, *(-1.0,) * 3, *(0.2,) * 3, 0.0)
HIGH = (*(4.0,) * 3, *(1.0,) * 3, *(4.0,) * 3, 3.0)
"""Where slope, offset, power and saturation are looked for: what receivers and our own step take."""
FREE = ((3, 4, 5), (0, 1, 2, 3, 4, 5), (0, 1, 2, 3, 4, 5, 9), tuple(range(10)))
"""What is looked for, the simplest first: offsets; with slopes; with saturation; with powers."""
BARELY, SEEN = 1.25, 5e-4
"""A simpler correction is taken that leaves not much more than the best; slope and power say nearly the same of a short
range. Our own choice.
"""
MOST = 6000
"""Colours that a fit looks at; more of a picture say little more."""


def nearest_cdl(before: Any, after: Any) -> CdlNode:
    """The correction that takes log codes ``before`` (N, 3) nearest to ``after`` (N, 3), in the least squares of code,
    far misses counting less.

    What exposure and balance do to scene light is an offset in log, and so met but for the toe of the log curve. The
    simplest correction that does nearly as well as the best is given. Order and clamping as ASC CDL v1.2 has them.
    """
    from scipy.optimize import least_squares  # loaded when first used: it takes a while

    given, wanted = (np.asarray(codes, dtype=np.float64).reshape(-1, 3) for codes in (before, after))
    every = max(1, -(-len(given) // MOST))
    given, wanted = given[::every], wanted[::every]

    def miss(x: Float64) -> Float64:
        return np.asarray((_node(x).apply(given, "tetrahedral") - wanted).ravel())

    rest = np.array([1.0] * 3 + [0.0] * 3 + [1.0] * 4)
    best: list[tuple[float, Float64]] = []
    for free in FREE:
        start, low, high = (np.array(one, dtype=np.float64)[list(free)] for one in (_start(given, wanted), LOW, HIGH))
        if free == FREE[0]:
            start = np.clip((wanted - given).mean(axis=0), -0.9, 0.9)

        def filled(x: Float64, free: tuple[int, ...] = free) -> Float64:
            every = rest.copy()
            every[list(free)] = x
            return every

        found = least_squares(
            lambda x: miss(filled(x)), start, bounds=(low, high), loss="soft_l1", f_scale=0.02, max_nfev=60
        )
        best.append((float(np.sqrt(np.mean(miss(filled(found.x)) ** 2))), filled(found.x)))
    least = min(left for left, _ in best)
    chosen = next(x for left, x in best if left <= BARELY * least + SEEN)
    # Digits that a receiver keeps, so that what is tested is what is written.
    return _node(np.round(chosen, 6))


def _start(given: Float64, wanted: Float64) -> Float64:
    """A straight line for each channel, which most corrections are near in log."""
    slopes, offsets = [], []
    for c in range(3):
        spread = given[:, c].var()
        slope = float(np.cov(given[:, c], wanted[:, c])[0, 1] / spread) if spread > 1e-9 else 1.0
        slope = min(max(slope, LOW[0] * 2), HIGH[0] / 2)
        slopes.append(slope)
        offsets.append(min(max(float(wanted[:, c].mean() - slope * given[:, c].mean()), -0.9), 0.9))
    return np.array([*slopes, *offsets, 1.0, 1.0, 1.0, 1.0])


def _node(x: Float64) -> CdlNode:
    slope, offset, power = ((float(x[k]), float(x[k + 1]), float(x[k + 2])) for k in (0, 3, 6))
    return CdlNode(slope, offset, power, float(x[9]), "Fwd")
