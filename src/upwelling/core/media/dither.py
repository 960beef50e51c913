"""Dither: what hides the steps of 8-bit codes in noise, the same for the same frame wherever it is rendered."""

from __future__ import annotations

from functools import cache
from typing import Literal

import numpy as np

from upwelling.core.arrays import Float64

Dither = Literal["none", "blue noise", "diffused"]
DITHERS: tuple[Dither, ...] = ("blue noise", "diffused", "none")
SIDE = 64
_SIGMA = 1.9
"""Width of the neighbourhood, in pixels; Ulichney's own choice is 1.5, from memory."""
_STEPS = (0.7548776662466927, 0.5698402909980532)
"""The plastic number's first two powers, inverted: places that follow each other lie evenly. Roberts (2018), from
memory.
"""


@cache
def blue_noise() -> Float64:
    """(64, 64) values evenly spread within ±0.5, low frequencies left out, that tile without a seam.

    Source: Ulichney, The void-and-cluster method for dither array generation, SPIE 1913 (1993), from memory.
    """
    count = SIDE * SIDE
    at = np.minimum(np.arange(SIDE), SIDE - np.arange(SIDE))
    bell = np.exp(-(at[:, None] ** 2 + at[None, :] ** 2) / (2 * _SIGMA**2))

    def around(place: int) -> Float64:
        return np.roll(bell, divmod(place, SIDE), (0, 1))

    rng = np.random.default_rng(64)
    on = np.zeros(count, bool)
    on[rng.choice(count, count // 10, replace=False)] = True
    energy = np.sum([around(int(p)) for p in np.flatnonzero(on)], axis=0).ravel()
    while True:  # the first points are moved from clusters to voids until none moves
        cluster = int(np.argmax(np.where(on, energy, -np.inf)))
        on[cluster] = False
        energy -= around(cluster).ravel()
        void = int(np.argmin(np.where(on, np.inf, energy)))
        on[void] = True
        energy += around(void).ravel()
        if void == cluster:
            break
    ranks = np.zeros(count, int)
    first, left, falling = int(on.sum()), on.copy(), energy.copy()
    for rank in range(first - 1, -1, -1):
        cluster = int(np.argmax(np.where(left, falling, -np.inf)))
        left[cluster], ranks[cluster] = False, rank
        falling -= around(cluster).ravel()
    for rank in range(first, count):
        void = int(np.argmin(np.where(on, np.inf, energy)))
        on[void], ranks[void] = True, rank
        energy += around(void).ravel()
    return np.asarray(((ranks + 0.5) / count - 0.5).reshape(SIDE, SIDE), np.float64)


def place_of(frame: int, plane: int) -> tuple[int, int]:
    """Where the noise begins for a plane of a frame: another place each time, and the same one always."""
    number = frame * 3 + plane
    return int(SIDE * (number * _STEPS[0] % 1)), int(SIDE * (number * _STEPS[1] % 1))
