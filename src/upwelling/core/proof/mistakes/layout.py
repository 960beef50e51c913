"""Rows, columns and grid points in the wrong place."""

from __future__ import annotations

from itertools import permutations
from typing import Any

import numpy as np

from upwelling.core.proof.mistakes.base import Case, Tried

_CHANNELS = ("red", "green", "blue")


def tries(case: Case) -> Tried:
    """Swapped axes and channels; of a cube also what its grid points were taken at, and rows that moved."""
    for turn in list(permutations(range(3)))[1:]:
        swapped = _said(turn)
        if case.grid is not None:
            yield (
                case.at(case.codes[:, turn]),
                f"The table's axes are swapped ({swapped}): the order of its rows is wrong. Write red as the fastest "
                "axis in .cube.",
            )
        yield (
            case.right[:, turn],
            f"The output channels are swapped ({swapped}). Write the columns as red, green, blue.",
        )
    if case.grid is None:
        return
    n = len(case.axis)
    for shift, words in (
        (0.5, "half a cell too high"),
        (-0.5, "half a cell too low"),
        (1.0, "one grid point too high"),
        (-1.0, "one grid point too low"),
    ):
        yield (
            case.at(_on(case, case.index + shift)),
            f"Its entries belong {words}: entry i was made at ({'i + ' if shift > 0 else 'i − '}{abs(shift):g})/(n − "
            "1). Make it at i/(n − 1).",
        )
    for axis, name in enumerate(_CHANNELS):
        for shift, words in ((1, "high"), (-1, "low")):
            yield (
                case.at(_on(case, case.index + shift * np.eye(3)[axis])),
                f"Its entries belong one grid point too {words} along {name} alone. Check how its rows are counted.",
            )
    yield (
        case.at(_on(case, (case.index + 0.5) * (n - 1) / n)),
        f"Its grid points were taken at (i + ½)/{n}, the middles of {n} cells, instead of i/{n - 1}, so that neither "
        "end is reached.",
    )
    yield (
        case.at(_on(case, case.index * (n - 1) / n)),
        f"Its grid points were taken at i/{n} instead of i/{n - 1}: the last one stops short of white.",
    )
    yield (
        case.at(_on(case, np.minimum(case.index * n / (n - 1), n - 1))),
        f"Its grid points were taken at i/{n - 2} instead of i/{n - 1}: white is reached one point too early.",
    )
    flat = case.right_grid.transpose(2, 1, 0, 3).reshape(-1, 3)  # as .cube has its rows: red fastest
    row = case.index @ np.array([1, n, n * n])
    for step, words in (
        (1, "up by one: the first is missing"),
        (-1, "down by one: there is one too many at the start"),
    ):
        yield (
            flat[np.clip(row + step, 0, len(flat) - 1)],
            f"Its rows are shifted {words}. Write the header and the rows again.",
        )


def _on(case: Case, place: Any) -> Any:
    """Codes at fractional grid places (N, 3), held at the ends."""
    n = len(case.axis)
    return np.interp(np.clip(place, 0, n - 1), np.arange(n), case.axis)


def _said(turn: tuple[int, ...]) -> str:
    moved = [k for k in range(3) if turn[k] != k]
    return " and ".join(_CHANNELS[k] for k in moved) if len(moved) == 2 else "all three"
