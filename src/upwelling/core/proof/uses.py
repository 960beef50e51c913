"""Tolerances by what a table is for, why, and what missing them by as much looks like."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.charts.patch_chart import lab_to_xyz
from upwelling.core.colour.difference import delta_e_2000
from upwelling.core.colour.primaries import primaries, rgb_to_xyz, xy_to_xyz
from upwelling.core.proof.tolerances import HDR, SDR, Tolerances


@dataclass(frozen=True, slots=True)
class Use:
    """A set of limits for SDR and HDR with its reason. All three: common practice, no source; dailies are what the
    limits are as they come.
    """

    name: str
    why: str
    sdr: Tolerances
    hdr: Tolerances


def _times(limits: Tolerances, factor: float) -> Tolerances:
    return Tolerances(**{name: round(limit * factor, 3) for name, _, limit in limits.rows()})


USES = (
    Use(
        "on-set monitoring",
        "Seen on several monitors in stray light, never side by side: twice what a careful eye tells apart passes.",
        _times(SDR, 2),
        _times(HDR, 2),
    ),
    Use("dailies", "Judged by eye on a graded display, shot after shot: what a careful eye tells apart.", SDR, HDR),
    Use(
        "mastering",
        "Compared with the exact picture, and copied on: half of that, so that two such errors stay unseen.",
        _times(SDR, 0.5),
        _times(HDR, 0.5),
    ),
)
SEEN = ((50.0, 0.0, 0.0), (65.0, 18.0, 18.0), (35.0, -8.0, -32.0))
"""CIE L*a*b* of what a miss is shown on: a grey, about a light skin, a blue sky at dusk. Our own choice."""


@lru_cache(maxsize=256)
def miss_of(lab: tuple[float, float, float], delta_e: float) -> Float64:
    """L*a*b* as far off as ``delta_e`` (ΔE 2000), towards green and yellow at the same lightness, as casts go."""
    start, way = np.array(lab), np.array([0.0, -0.8, 0.6])
    low, high = 0.0, 200.0
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (middle, high) if delta_e_2000(start, start + middle * way) < delta_e else (low, middle)
    return np.asarray(start + low * way)


def screen_code(lab: Float64) -> str:
    """An L*a*b* under D65 as sRGB in hex, for a page; what sRGB cannot show is cut."""
    space = primaries("BT.709")
    xyz = lab_to_xyz(np.asarray(lab, dtype=np.float64), np.asarray(xy_to_xyz(space.white)))
    light = np.clip(np.linalg.inv(rgb_to_xyz(space)) @ xyz, 0, 1)
    code = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)
    return "#" + "".join(f"{round(255 * v):02x}" for v in code)
