"""Shapers: a curve before the cube that puts grid points where the path bends most."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.bake.order import BakeOrder
from upwelling.core.lut import Lut1D
from upwelling.core.operations.exact import exact

ENTRIES = 4096
PARTS = 64
"""Equal parts of the domain in which a density is given."""
EVEN_SHARE = 0.3
"""Share of the grid that is spread evenly whatever the path does, so that no part of the domain starves.

Our own choice.
"""


def shaper_for(order: BakeOrder) -> Lut1D | None:
    """The order's shaper, by its own density or after the path's curvature; None where it has none."""
    if order.shaper != "adapted":
        return None
    return shaper_of(order.density or curvature_density(order), bend_of(order), order.size)


def shaper_of(density: Sequence[float], bend: float, size: int) -> Lut1D:
    """A curve whose slope goes with ``density`` (in equal parts of the domain), with a point of a grid of ``size`` on
    ``bend``.
    """
    fine = np.linspace(0.0, 1.0, ENTRIES)
    parts = np.asarray(density, dtype=np.float64)
    slope = np.interp(fine, (np.arange(len(parts)) + 0.5) / len(parts), parts)
    place = np.concatenate([[0.0], np.cumsum((slope[1:] + slope[:-1]) / 2)])
    place = _on_a_point(place / place[-1], float(np.interp(bend, fine, place / place[-1])), size)
    return Lut1D(np.repeat(place[:, None], 3, axis=1).astype(np.float32))


def curvature_density(order: BakeOrder) -> tuple[float, ...]:
    """Density of grid points after the path's curvature as it is seen, along neutral and the three channels.

    Linear interpolation errs by h²·|f''|/8, so an even error wants a density that goes with √|f''|.
    """
    count = 16 * PARTS + 1
    codes = np.linspace(0.0, 1.0, count)
    ramps = [np.repeat(codes[:, None], 3, axis=1)]
    middle = float(np.median(order.table_code(np.full((1, 3), 0.41))))
    for channel in range(3):
        ramp = np.full((count, 3), min(max(middle, 0.1), 0.9))
        ramp[:, channel] = codes
        ramps.append(ramp)
    seen = order.judge.seen(order.held(exact(order.operations, np.concatenate(ramps)))).reshape(4, count, 3)
    scale = 720.0 if order.judge.target.is_hdr else 1.0
    bend = np.abs(np.diff(seen * scale, n=2, axis=1)).sum(axis=-1).mean(axis=0)
    density = np.sqrt(np.convolve(np.pad(bend, (17, 17), mode="edge"), np.ones(33) / 33, "valid"))
    density = density / max(float(density.mean()), 1e-12)
    density = EVEN_SHARE + (1 - EVEN_SHARE) * np.minimum(density, 8.0)
    return tuple(float(v) for v in np.interp((np.arange(PARTS) + 0.5) / PARTS, codes[1:-1], density[1:-1]))


def bend_of(order: BakeOrder) -> float:
    """The code at which neutral bends most sharply: as a rule where the path meets the display's black."""
    ramp = np.linspace(0.0, 1.0, ENTRIES)
    seen = order.judge.seen(order.held(exact(order.operations, np.repeat(ramp[:, None], 3, axis=1))))
    return float(ramp[1 + int(np.abs(np.diff(seen[:, 0], n=2)).argmax())])


def _on_a_point(place: Float64, bend: float, size: int) -> Float64:
    """The curve, stretched a little on either side of the bend so that a grid point stands on it: no cell then bridges
    it.
    """
    at = round(bend * (size - 1)) / (size - 1)
    if not 0 < at < 1 or not 0 < bend < 1:
        return place
    return np.where(place <= bend, place * at / bend, 1 - (1 - place) * (1 - at) / (1 - bend))


def unshaped(shaper: Lut1D, place: Any) -> Float64:
    """The codes (…) that a shaper puts at ``place``."""
    table = shaper.table[:, 0].astype(np.float64)
    return np.asarray(np.interp(place, table, np.linspace(0.0, 1.0, len(table))))
