"""The way back through a smooth function of three channels, by Newton's steps in cube roots."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from upwelling.core.arrays import Float64

ROUNDS = 40
FOUND = 1e-9
"""How near, in cube roots, counts as found."""


def newton(function: Callable[[Float64], Float64], goal: Float64, *guesses: Float64) -> Float64:
    """Light (N, 3) that ``function`` takes to ``goal`` (N, 3), from guesses (N, 3): each pixel's first that leads
    there.

    A step that makes a pixel worse is halved for it; where no light fits, the nearest that was found is given.
    """
    wanted = np.cbrt(goal)
    light, off = _from(function, wanted, np.cbrt(guesses[0]))
    for guess in guesses[1:]:
        left = np.flatnonzero(off > FOUND)
        if not len(left):
            break
        other, still = _from(function, wanted[left], np.cbrt(guess[left]))
        better = still < off[left]
        light[left[better]], off[left[better]] = other[better], still[better]
    return light


def _from(function: Callable[[Float64], Float64], wanted: Float64, y: Float64) -> tuple[Float64, Float64]:
    """Light (N, 3) from one guess of its cube roots, and how far off it is (N,)."""

    def miss(of: Float64) -> Float64:
        return np.cbrt(function(of**3)) - wanted

    off = miss(y)
    share = np.ones(len(y))
    for _ in range(ROUNDS):
        size = 1e-5 * np.abs(y).max(axis=-1, keepdims=True) + 1e-9
        slope = np.stack([(miss(y + size * np.eye(3)[c]) - off) / size for c in range(3)], axis=-1) + 1e-9 * np.eye(3)
        tried = y - share[:, None] * np.linalg.solve(slope, off[..., None])[..., 0]
        after = miss(tried)
        better = np.linalg.norm(after, axis=-1) < np.linalg.norm(off, axis=-1)
        y, off = np.where(better[:, None], tried, y), np.where(better[:, None], after, off)
        share = np.where(better, np.minimum(share * 2, 1.0), share / 2)
    return np.asarray(y**3), np.asarray(np.linalg.norm(off, axis=-1))
