"""How two pictures of one scene are apart, in a technician's terms, over the areas that both show.

Exposure, light and colourfulness are those of the match's model of four numbers (`core/match/models.py`), fitted
robustly to scene light; black is what the display's darkest areas are off beyond that. Thresholds are our own, found on
rendered scenes.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.colour.primaries import CONES, rgb_to_xyz
from upwelling.core.colour.temperature import xy_to_kelvin_duv
from upwelling.core.match.light import CannotMatch, Space, to_grey
from upwelling.core.match.robust import Samples, fit_model

FEWEST = 12
"""Areas below which nothing is said."""
DARK, FEWEST_DARK, DARKEST_SHARE = 0.25, 4, 0.15
"""Share of the display's signal up to which an area may speak of black, how many must, and which share of all areas
does: the darkest."""
BY_STOP = 0.03
"""What of black the expectation may be wrong by, for each stop that the pictures are apart."""
SMOOTH = 11
"""Areas of like brightness over which the display's signal is read."""


@dataclass(frozen=True)
class Apart:
    """The other picture over the reference: ``stops`` brighter, ``mired`` warmer and ``duv`` greener (of what is
    neutral in the reference), ``saturation`` times as colourful, its ``black`` higher by that share of the display's
    signal; None where neither shows anything dark. ``delta_e`` is the median ΔE 2000 over ``count`` areas, in the
    reference's light brought to mid grey.
    """

    stops: float
    mired: float
    duv: float
    saturation: float
    black: float | None
    delta_e: float
    count: int


def apart(light: Any, other_light: Any, luma: Float64, other_luma: Float64, weights: Float64, space: Space) -> Apart:
    """Of areas that correspond: scene light (N, 3) and luma of the display's signal (N,) of each, weights (N,).

    Raises CannotMatch where they are too few to tell.
    """
    mine, its = np.asarray(light, np.float64), np.asarray(other_light, np.float64)
    good = (mine > 1e-4).all(axis=-1) & (its > 1e-4).all(axis=-1)
    mine, its, luma, other_luma, weights = (one[good] for one in (mine, its, luma, other_luma, weights))
    if len(mine) < FEWEST:
        raise CannotMatch(f"Only {len(mine)} areas can be compared.")
    # A lifted black bends dark areas: exposure and colour are read above it, where enough is.
    high = luma > DARK / 2
    high = high if high.sum() >= FEWEST else np.ones(len(mine), bool)
    samples = Samples(mine[high], its[high], space, weights[high])
    start = np.array([samples.stops] * 3 + [1.0])
    gains = fit_model("saturation", start, samples)
    stops, mired, duv = light_of(gains[:3], space)
    scale = to_grey(mine, space)
    return Apart(
        stops,
        mired,
        duv,
        float(gains[3]),
        _black(mine @ space.luminance, luma, other_luma, stops),
        float(np.median(space.delta_e(mine * scale, its * scale))),
        len(mine),
    )


def light_of(cone_stops: Float64, space: Space) -> tuple[float, float, float]:
    """Stops of luminance, mired warmer and Duv greener, of a neutral whose CAT02 cones gain so many stops (3,)."""
    neutral = np.linalg.solve(CONES["CAT02"], 2.0**cone_stops * (space.cones @ np.ones(3)))
    stops = float(np.log2(neutral[1] / space.luminance.sum()))
    x, y, _ = neutral / neutral.sum()
    return stops, *_off((float(x), float(y)), space.working.white)


def _off(xy: tuple[float, float], white: tuple[float, float]) -> tuple[float, float]:
    """Mired warmer and Duv greener than a white."""
    (kelvin, duv), (of_white, its_duv) = xy_to_kelvin_duv(xy), xy_to_kelvin_duv(white)
    return 1e6 / kelvin - 1e6 / of_white, duv - its_duv


def _black(luminance: Float64, luma: Float64, other_luma: Float64, stops: float) -> float | None:
    """How much higher the other's darkest areas stand than its exposure explains, as a share of the signal."""
    order = np.argsort(luminance)
    darkest = order[: max(int(len(order) * DARKEST_SHARE), FEWEST_DARK)]
    expected = np.interp(np.log2(luminance) + stops, np.log2(luminance[order]), _rising(luma[order]))
    inside = darkest[(expected[darkest] < DARK) & (other_luma[darkest] < 2 * DARK)]
    # Below the darkest area of the reference nothing tells how dark it ought to be.
    inside = inside[np.log2(luminance[inside]) + stops >= np.log2(luminance[order[0]])]
    if len(inside) < FEWEST_DARK:
        return None
    off = float(np.median(other_luma[inside] - expected[inside]))
    return float(np.sign(off) * max(abs(off) - BY_STOP * abs(stops), 0.0))


def _rising(values: Float64) -> Float64:
    """Values that rise on the whole, made smooth by medians of their neighbours and never falling."""
    around = np.pad(values, SMOOTH // 2, mode="edge")
    return np.maximum.accumulate(np.median(np.lib.stride_tricks.sliding_window_view(around, SMOOTH), axis=-1))


def light_told(rgb_linear: Any, space: Space) -> tuple[float, float, float] | None:
    """Stops from mid grey of a light (3,), and mired warmer and Duv greener than working white; None without light."""
    rgb = np.asarray(rgb_linear, np.float64)
    if not np.isfinite(rgb).all() or not (rgb > 1e-5).all():
        return None
    xyz = rgb_to_xyz(space.working) @ rgb
    x, y, _ = xyz / xyz.sum()
    return float(np.log2(xyz[1] / MID_GREY)), *_off((float(x), float(y)), space.working.white)
