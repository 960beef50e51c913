"""Rise, the default tone curve: display stops against scene stops, C² and monotone.

y(s) is log2 of display light relative to the peak; s is stops from scene mid grey 0.18. Its slope is piecewise:

* between the toe and the shoulder: ``contrast``;
* below ``toe start``: the slope eases over ``TOE_WIDTH`` stops to contrast·(1 + toe), by 3v² − 2v³;
* above ``shoulder``: contrast·(1 − u)^p·(1 + p·u), u from 0 at the shoulder to 1 at the scene peak. Both it and its
  derivative are continuous at both ends for p > 1, so y is C²; p is the one that lands y on the display peak exactly.

On HDR displays a curve like this meets black too abruptly for any table: PQ's code goes with the sixth root of light
there. Their dark end is therefore bent in PQ code, which is multiplied by (1 +
x^(−DARK_POWER·DARK_BEND))^(−1/DARK_BEND), x the light over that of ``DARK_STOP``: from −4 stops up next to nothing
changes (0.13 stop there), and below −6 the code falls nearly straight to 0 with the light.

The form is our own; that mid grey lies at a tenth of an SDR peak is common practice, no source.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import MID_GREY
from upwelling.core.curves.pq import PQ
from upwelling.core.errors import BadValue

TOE_START = -1.5
TOE_WIDTH = 4.0
LOWEST_STOP = -20.0
"""Below this scene level the curve goes on as a straight line in linear light."""
BRIGHTEST = 2.0**20
"""Light is held to this, either side of 0, before it is rendered: a million times white is white enough."""
_LEAST_POWER = 1.05
DARK_STOP, DARK_POWER, DARK_BEND = -6.0, 0.55, 3.0
DARK_GONE, DARK_FADES = -1.0, 3.0
"""Stops from which nothing of the dark end is left, and over how many stops it comes in."""
PQ_TOP, DARKEST = 10000.0, 2.0**-60


@dataclass(frozen=True)
class ToneCurve:
    """The solved curve; build it with ``solve``."""

    contrast: float
    toe: float
    shoulder: float
    peak_stops: float
    mid_log2: float
    power: float
    hdr_nits: float = 0.0
    """Peak of an HDR display, whose dark end is bent; 0 on SDR ones."""

    @classmethod
    def solve(
        cls,
        *,
        contrast: float,
        toe: float,
        shoulder: float,
        scene_peak: float,
        mid_relative: float,
        hdr_nits: float = 0.0,
    ) -> ToneCurve:
        """Finds the shoulder's power; raises BadValue with what to change when the settings cannot meet.

        ``scene_peak`` is scene-linear; ``mid_relative`` is display light of mid grey over the display's peak.
        """
        peak_stops = float(np.log2(scene_peak / MID_GREY))
        rise = float(-np.log2(mid_relative))
        share = (rise / contrast - shoulder) / (peak_stops - shoulder)
        greatest = 2 / (_LEAST_POWER + 2)
        if share > greatest:
            least = rise / (greatest * (peak_stops - shoulder) + shoulder)
            raise BadValue(
                f"A contrast of {contrast:.2f} does not reach the display's peak by scene peak {scene_peak:g}. "
                f"Raise the contrast to {least + 0.005:.2f} or more, or raise the scene peak."
            )
        if share < 0.02:
            start = (rise / contrast - 0.02 * peak_stops) / 0.98
            raise BadValue(
                f"A contrast of {contrast:.2f} reaches the display's peak before the shoulder can begin. "
                f"Start the shoulder at {max(start - 0.05, 0):.2f} stops or lower, or lower the contrast."
            )
        return cls(contrast, toe, shoulder, peak_stops, -rise, 2 / share - 2, hdr_nits)

    def log2_display(self, stops: Any) -> Any:
        """y(s), any shape; 0 from the scene peak on."""
        s = np.maximum(np.asarray(stops, dtype=np.float64), LOWEST_STOP)
        v = np.maximum((TOE_START - s) / TOE_WIDTH, 0.0)
        toe_area = np.where(v < 1, v**3 - v**4 / 2, v - 0.5) * TOE_WIDTH
        line = self.mid_log2 + self.contrast * (np.minimum(s, self.shoulder) - self.toe * toe_area)
        span = self.peak_stops - self.shoulder
        p = self.power
        left = np.clip((self.peak_stops - s) / span, 0.0, 1.0)
        area = 2 / (p + 2) - left ** (p + 1) * (1 - p * left / (p + 2))
        # At s ≤ shoulder, left is 1 and the area is 0 up to rounding; at the peak the sum is 0 up to rounding.
        y = np.where(s >= self.peak_stops, 0.0, line + self.contrast * span * area)
        return self._with_dark_end(s, y) if self.hdr_nits else y

    def _with_dark_end(self, s: Any, y: Any) -> Any:
        x = np.exp2(np.minimum(s, self.peak_stops) - DARK_STOP)
        code = PQ.from_linear(np.exp2(y) * (self.hdr_nits / PQ_TOP)) * (1 + x ** (-DARK_POWER * DARK_BEND)) ** (
            -1 / DARK_BEND
        )
        bent = np.log2(np.maximum(PQ.to_linear(code), DARKEST) * (PQ_TOP / self.hdr_nits))
        t = np.clip(
            (DARK_GONE - s) / DARK_FADES, 0.0, 1.0
        )  # brighter light keeps its own number, or mid grey would miss its place by 1e-4
        return y + (bent - y) * t**3 * (10 - 15 * t + 6 * t * t)

    def slope(self, stops: Any) -> Any:
        """dy/ds: display stops per scene stop."""
        s = np.asarray(stops, dtype=np.float64)
        if self.hdr_nits:
            return (self.log2_display(s + 1e-4) - self.log2_display(s - 1e-4)) / 2e-4
        v = np.clip((TOE_START - s) / TOE_WIDTH, 0.0, 1.0)
        u = np.clip((s - self.shoulder) / (self.peak_stops - self.shoulder), 0.0, 1.0)
        return self.contrast * (1 + self.toe * (3 * v**2 - 2 * v**3)) * (1 - u) ** self.power * (1 + self.power * u)
