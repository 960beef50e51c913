"""The closed form that Rise and the smooth fit share: colours moved towards neutral so that a gamut's floor is never
passed, without a search.

1. A colour at a level is x = (cones / level)^(1/q), one number a cone; a neutral is (1, 1, 1), and d = x − 1 is the
colour. All that follows
   multiplies d by one factor k in 0…1, so that the hue of this space is kept. Light relative to the level is g(k) =
   M·(1 + k·d)^q. The cones lie between Oklab's and ICtCp's, and q grows with the display's peak: on SDR displays both
   hues turn little, on HDR ones that of ICtCp hardly does. q is a power of two, so that root and power are square roots
   and squares.
2. How far a channel has come on its way from 1 to 0 is its reach, 1 − g(1): a channel at 0 has reach 1, one below 0
more. The three reaches become one
   p-norm, and ``soft_limit`` says where it lands. No exit from the gamut is looked for, so nothing jumps where a line
   of constant hue only grazes it; where such a line leaves the gamut and comes back (about blue), the last ``hold``
   brings in what is left outside.

The form is our own. Cones: B. Ottosson, Oklab (2020); Recommendation ITU-R BT.2100-2, table 7.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.colour.difference import RGB_TO_LMS
from upwelling.core.colour.oklab import rgb_to_lms
from upwelling.core.colour.primaries import Adaptation, Primaries, primaries, rgb_to_rgb

CONE_FLOOR = 0.08
"""Cone response over the level under which ``hold`` bends it away from 0: only colours that no light can have come
there.
"""
LIGHT_FLOOR, LIGHT_FLOOR_HDR = 0.12, 0.04
"""Channel light over the level under which the last ``hold`` bends it away from 0, at an SDR peak and from ten times
that. Higher: softer, so that
coarse tables follow dark saturated colours better; on HDR hue would turn by it."""
KNEE = 0.85
"""Reach up to which no colour moves; 1 is the gamut's edge. Lower: softer, and less of the gamut used."""
SHARP = 16
"""p of the norm of the reaches: how closely the gamut's corners are followed. Lower: rounder, and less chroma on
primaries.
"""
ICTCP_SHARE = 0.75
"""How far the cones lie from Oklab's towards ICtCp's on SDR displays; all the way from ten times their peak."""
SDR_PEAK = 100.0
EXPONENTS = ((150.0, 3), (2000.0, 4))
"""log2 of q up to a peak in cd/m²; 5 beyond."""
FAR = 1e6
"""Reaches are held to this, so that their eighth powers stay finite."""


def hold(x: Any, floor: float) -> Any:
    """x from ``floor`` up, bent towards 0 below and always above it; C², rising, any shape."""
    t = np.maximum(floor - x, 0.0) / floor
    return np.where(x < floor, floor / (1 + t + t * t), x)


def soft_limit(reach: Any, knee: float = KNEE) -> Any:
    """Where a reach lands: itself up to the knee, then ever nearer to 1; C², any shape."""
    x = np.maximum(reach - knee, 0.0) / (1 - knee)
    return np.where(reach > knee, knee + (1 - knee) * (x + x * x) / (1 + x + x * x), reach)


def smooth_positive(x: Any, width: float) -> Any:
    """max(x, 0) with its corner rounded over ``width`` on either side; C¹."""
    t = np.clip(x + width, 0.0, 2 * width)
    return np.maximum(x, t * t / (4 * width))


def smooth_root(x: Any, width: float) -> Any:
    """√max(x, 0), from ``width`` down bent so that it begins with slope 0 at −width; C¹."""
    t = np.clip((x + width) / (2 * width), 0.0, 1.0)
    return np.where(x < width, width**0.5 * t * t * (2.5 + t * (0.5 * t - 2)), np.sqrt(np.maximum(x, width)))


def p_norm(values: Any, p: int) -> Any:
    """(Σ vᵖ)^(1/p) over the last axis of values from 0 up; never 0."""
    return (np.sum(np.minimum(values, FAR) ** p, axis=-1) + 1e-30) ** (1 / p)


@dataclass(frozen=True)
class RootSpace:
    """The space for light in ``source`` primaries and a display of ``peak_nits`` with ``target`` primaries."""

    source: Primaries
    target: Primaries
    adaptation: Adaptation
    peak_nits: float

    @property
    def _share(self) -> float:
        """0 at an SDR peak, 1 from ten times that."""
        return float(min(max(np.log10(self.peak_nits / SDR_PEAK), 0.0), 1.0))

    @property
    def log2_q(self) -> int:
        return next((power for peak, power in EXPONENTS if self.peak_nits <= peak), 5)

    @property
    def q(self) -> int:
        return 1 << self.log2_q

    @property
    def light_floor(self) -> float:
        """LIGHT_FLOOR at the display's peak."""
        return LIGHT_FLOOR + (LIGHT_FLOOR_HDR - LIGHT_FLOOR) * self._share

    @property
    def to_cones(self) -> Float64:
        """(3, 3), source light to cone responses; rows add up to 1."""
        return _cones(self.source, self.adaptation, ICTCP_SHARE + (1 - ICTCP_SHARE) * self._share)

    @property
    def to_light(self) -> Float64:
        """(3, 3), cone responses to target light; rows add up to 1."""
        light = rgb_to_rgb(self.source, self.target, self.adaptation) @ np.linalg.inv(self.to_cones)
        return np.asarray(light / light.sum(axis=1, keepdims=True))

    def colour(self, over_level: Any) -> Float64:
        """d (N, 3) of light over its level (N, 3)."""
        return np.asarray(hold(over_level @ self.to_cones.T, CONE_FLOOR) ** (1 / self.q) - 1)

    def light(self, d: Any) -> Float64:
        """g (N, 3), light over the level, of d (N, 3)."""
        return np.asarray((1 + d) ** self.q @ self.to_light.T)

    def tangent_and_chord(self, d: Any) -> tuple[Float64, Float64]:
        """g′(0) and g(1) − 1 of each channel, (N, 3)."""
        return np.asarray(self.q * d @ self.to_light.T), self.light(d) - 1

    @staticmethod
    def reach(chord: Any) -> Float64:
        """The colour's reach towards the gamut's floor, (N,)."""
        return np.asarray(p_norm(np.maximum(-chord, 0.0), SHARP))


@lru_cache(maxsize=256)
def _cones(source: Primaries, adaptation: Adaptation, share: float) -> Float64:
    ictcp = RGB_TO_LMS @ rgb_to_rgb(source, primaries("BT.2020"), adaptation)
    mixed = (1 - share) * rgb_to_lms(source, adaptation) + share * ictcp
    return np.asarray(mixed / mixed.sum(axis=1, keepdims=True))
