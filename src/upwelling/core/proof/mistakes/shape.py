"""What was done to a table's numbers afterwards: smoothed, cut off, stored in few bits."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.proof.mistakes.base import Case, Tried

_DEPTHS = (8, 10)
SAME = 3e-5
"""Of code, within which two neighbouring entries count as one value."""


def tries(case: Case) -> Tried:
    """Smoothing by neighbours, a domain cut off at either end, entries of few bits."""
    from scipy.ndimage import uniform_filter  # loaded when first used: it takes a while

    for depth in _DEPTHS:
        top = 2**depth - 1
        if (
            np.abs(case.entries * top - np.round(case.entries * top)).max() < 2e-6 * top
            and not case.order.receiver.precision
        ):
            yield (
                np.round((case.right + case.fitted) * top) / top - case.fitted,
                f"Its entries have {depth} bit only: they are whole {depth}-bit codes. Write at least six decimals.",
            )
    if case.grid is None or len(case.axis) < 5:
        return
    at = tuple(case.index.T)
    for size in (3, 5):
        yield (
            uniform_filter(case.right_grid, size=(size, size, size, 1), mode="nearest")[at],
            (
                f"It was smoothed: each entry is the mean of its neighbourhood, {size} points wide. Bake it without "
                "smoothing."
            ),
        )
    weights = np.array([0.25, 0.5, 0.25])
    soft = case.right_grid
    for axis in range(3):
        soft = np.apply_along_axis(lambda row: np.convolve(np.pad(row, 1, mode="edge"), weights, "valid"), axis, soft)
    yield soft[at], "It was smoothed: neighbouring entries are mixed in by a quarter. Bake it without smoothing."
    low, high = _flat_ends(case.grid), len(case.axis) - 1 - _flat_ends(case.grid[::-1, ::-1, ::-1])
    own_low, own_high = _flat_ends(case.right_grid), len(case.axis) - 1 - _flat_ends(case.right_grid[::-1, ::-1, ::-1])
    if (low > own_low or high < own_high) and low < high:
        yield (
            case.right_grid[tuple(np.clip(case.index, max(low, 0), high).T)],
            (
                f"Its domain is cut off: codes below {case.axis[low]:.3f} and above {case.axis[high]:.3f} all give the "
                "same. Bake it over the whole domain."
            ),
        )


def _flat_ends(grid: Any) -> int:
    """How many points, from the low end, are the same as the first along all three axes."""
    n, flat = len(grid), 0
    for i in range(1, n - 1):
        if (
            max(
                np.abs(grid[i] - grid[0]).max(),
                np.abs(grid[:, i] - grid[:, 0]).max(),
                np.abs(grid[:, :, i] - grid[:, :, 0]).max(),
            )
            > SAME
        ):
            break
        flat = i
    return flat
