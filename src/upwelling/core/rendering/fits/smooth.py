"""The smooth gamut fit: towards neutral at constant Oklab hue.

On the line from a neutral of lightness L (k = 0) through a colour (k = 1), cone responses are (L + k·q)³, so each output
channel is a cubic in k. ``fit`` finds by bisection where the first channel leaves 0…1; ``soft_limit`` says how far inside the
colour comes to lie. On the way a colour loses ``DESCENT``·L³ of lightness for each unit of its chroma: at constant lightness the
fit would meet the display's gamut where it is a thin spike near white (bright yellow), and no table could follow it there.
The form is our own.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.oklab import LAB_TO_ROOT, ROOT_TO_LAB, rgb_to_lms
from upwelling.core.primaries import Adaptation, Primaries
from upwelling.core.rendering.fits.base import GamutFit
from upwelling.core.rendering.tone_curve import BRIGHTEST

KNEE = 0.8
"""Share of the way to the gamut's edge up to which no colour moves."""
DESCENT = 0.6
BISECTIONS = 40


class SmoothFit(GamutFit):
    """Ours: hue kept, a soft knee from 80 % of the way to the gamut's edge."""

    title: ClassVar[str] = "Smooth"
    explanation: ClassVar[str] = "Towards the neutral axis at constant Oklab hue, with a soft knee from 80 % of the way to the edge."
    source: ClassVar[str] = "Our own; Oklab by B. Ottosson (2020)"

    kind: Literal["smooth"] = "smooth"

    def operation(self, gamut: Primaries, adaptation: Adaptation) -> SmoothOperation:
        return SmoothOperation(gamut, adaptation)


def soft_limit(reach: Float64) -> Float64:
    """Where a colour at ``reach`` (1 = on the edge) lands: itself up to the knee, then ever nearer to 1; C²."""
    x = np.maximum(reach - KNEE, 0.0) / (1 - KNEE)
    return np.where(reach > KNEE, KNEE + (1 - KNEE) * x / np.sqrt(1 + x * x), reach)


def reach_scale(lightness: Float64, q: Float64, lms_to_rgb: Float64) -> Float64:
    """The share k (N,) of the offsets q (N, 3) that is kept about the neutral of ``lightness`` (N,) in 0…1."""
    scale = np.ones_like(lightness)
    offsets, rows = np.ascontiguousarray(q.T), [[float(v) for v in row] for row in lms_to_rgb]

    def outside(k: Float64, level: Float64, away: Float64) -> Float64:
        # Channel by channel: reductions over an axis of three take most of the time otherwise.
        roots = [level + k * part for part in away]
        cubes = [root * root * root for root in roots]
        out = np.zeros(level.shape, dtype=bool)
        for a, b, c in rows:
            channel = a * cubes[0] + b * cubes[1] + c * cubes[2]
            out |= (channel < 0) | (channel > 1)
        return out

    far = np.flatnonzero(outside(np.full_like(lightness, 1 / KNEE), lightness, offsets))
    level, away = lightness[far], offsets[:, far]
    low, high = np.zeros(far.size), np.full(far.size, 1 / KNEE)
    for _ in range(BISECTIONS):
        middle = (low + high) / 2
        out = outside(middle, level, away)
        low, high = np.where(out, low, middle), np.where(out, middle, high)
    edge = np.maximum(low, 1e-30)
    scale[far] = soft_limit(1 / edge) * edge
    return scale


@dataclass(frozen=True)
class SmoothOperation:
    """The fit for one gamut."""

    gamut: Primaries
    adaptation: Adaptation

    @property
    def to_lms(self) -> Float64:
        return rgb_to_lms(self.gamut, self.adaptation)

    @property
    def lms_to_rgb(self) -> Float64:
        matrix = np.linalg.inv(self.to_lms)
        return np.asarray(matrix / matrix.sum(axis=1, keepdims=True))

    def apply(self, rgb: Float64) -> Float64:
        flat = np.clip(rgb.reshape(-1, 3), -BRIGHTEST, BRIGHTEST)
        return self.of_lab(np.cbrt(flat @ self.to_lms.T) @ ROOT_TO_LAB.T).reshape(rgb.shape)

    def of_lab(self, lab: Float64) -> Float64:
        """RGB (N, 3) in 0…1 of Oklab (N, 3)."""
        lightness, ab = np.clip(lab[:, 0], 0.0, 1.0), lab[:, 1:]
        descent = np.minimum(DESCENT * lightness**3 * np.hypot(ab[:, 0], ab[:, 1]), 0.9 * lightness)
        q = ab @ LAB_TO_ROOT[:, 1:].T + descent[:, None]
        neutral = lightness - descent
        k = reach_scale(neutral, q, self.lms_to_rgb)
        return np.asarray(np.clip(((neutral[:, None] + k[:, None] * q) ** 3) @ self.lms_to_rgb.T, 0.0, 1.0))

    def undo(self, rgb: Float64) -> Float64:
        """Light (…, 3) that the fit takes to ``rgb`` in 0…1.

        What was outside comes back from inside the knee; colours on the edge itself could come from anywhere and are left there.
        """
        flat = np.clip(rgb.reshape(-1, 3), 0.0, 1.0)
        lab = np.cbrt(flat @ self.to_lms.T) @ ROOT_TO_LAB.T
        chroma = np.hypot(lab[:, 1], lab[:, 2])
        direction = lab[:, 1:] / np.maximum(chroma, 1e-12)[:, None]

        def before(growth: Float64) -> tuple[Float64, Float64, Float64]:
            """Lightness, chroma and kept share if the fit had divided the chroma by ``growth``."""
            wide, k = chroma * growth, 1 / growth
            lightness = lab[:, 0].copy()
            for _ in range(30):  # L = shown + (1 − k)·descent(L), a contraction
                lightness = lab[:, 0] + (1 - k) * np.minimum(DESCENT * np.clip(lightness, 0, 1) ** 3 * wide, 0.9 * lightness)
            lightness = np.clip(lightness, 0, 1)
            descent = np.minimum(DESCENT * lightness**3 * wide, 0.9 * lightness)
            q = (direction * wide[:, None]) @ LAB_TO_ROOT[:, 1:].T + descent[:, None]
            return lightness, wide, reach_scale(lightness - descent, q, self.lms_to_rgb) * growth

        # The least growth that gives the chroma shown: found on a coarse ladder first, as beyond it the fit may answer the same twice.
        ladder = np.geomspace(1.0, 4.0, 24)
        low, high, found = np.ones(len(flat)), np.full(len(flat), ladder[-1]), np.zeros(len(flat), dtype=bool)
        for step, after in itertools.pairwise(ladder):
            reached = ~found & (before(np.full(len(flat), after))[2] >= 1)
            low, high, found = np.where(reached, step, low), np.where(reached, after, high), found | reached
        for _ in range(40):
            middle = np.sqrt(low * high)
            more = before(middle)[2] < 1  # the fit would show less chroma than there is: the colour came from further out
            low, high = np.where(more, middle, low), np.where(more, high, middle)
        moved = before(np.ones(len(flat)))[2] < 1 - 1e-12
        lightness, wide, _ = before(np.where(moved, low, 1.0))
        root = lightness[:, None] + (direction * wide[:, None]) @ LAB_TO_ROOT[:, 1:].T
        restored = np.where(moved[:, None], (root**3) @ self.lms_to_rgb.T, flat)
        return np.asarray(restored).reshape(rgb.shape)
