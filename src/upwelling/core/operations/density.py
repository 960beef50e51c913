"""Colour made richer by absorbing light: each channel's optical density over the pixel's own level is scaled.

With a level N of the pixel (the power norm, Σc³/Σc²) a channel at light c has density d = −log₁₀(c/N), as if a dye lay
before a lamp of light N. By the law of Lambert and Beer a layer R times as thick has R times the density: c/N becomes
(c/N)^R. Neutral has density 0 in each layer, whatever its thickness, and is kept exactly. The direction of the three
densities' differences is kept by any R, so a hue of this space stays where it is, and the way back is one number a
pixel.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from math import comb

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.operations.base import PixelOperation
from upwelling.core.operations.kept import kept
from upwelling.core.operations.pixel import power_norm

LEAST_LEVEL = 1e-7
"""Scene light below which there is no colour to speak of."""
THINNEST = 0.02
"""Share of the level under which density grows no further: a dye lets some light through, and log of 0 is none."""
ROOT3_HALF = 3**0.5 / 2
HUE_FADE = 0.1
"""Density chroma from which a hue's own share counts; towards neutral, where there is no hue, it fades to the mean."""
GUARD = 0.15
"""Density chroma about which guarded near-neutrals are left to the change."""
DEEP = 0.5
"""Density chroma at which half of the depth is reached."""
SHARPEST = 5
"""Power of the raised cosine that stands on each of the six hues; the highest whose six together are even."""
SKIN_SHARP = 8
"""Power of the raised cosine about skin: half within 33° on either side. Our own choice."""


@lru_cache(maxsize=64)
def hue_series(shares: tuple[float, ...]) -> tuple[Float64, Float64]:
    """Cosine and sine terms (6,) of a smooth mean of six ``shares`` at 0°, 60° … 300°: each place takes 68 % of its own
    and 16 % of either neighbour's, and none leaves their range, as a curve drawn through them would.
    """
    order = np.arange(SHARPEST + 1)
    bump = np.array([comb(2 * SHARPEST, SHARPEST - n) for n in order]) / 4.0**SHARPEST * np.where(order, 2, 1)
    hues = np.radians(60.0 * np.arange(6))
    weights = np.array(shares) / (6 * bump[0])
    return bump * (np.cos(np.outer(order, hues)) @ weights), bump * (np.sin(np.outer(order, hues)) @ weights)


def chroma_of(share: Float64) -> tuple[Float64, Float64, Float64]:
    """Density chroma, and cosine and sine of its hue: red 0°, yellow 60°, green 120° …, of shares of the level."""
    red, green, blue = np.moveaxis(-np.log10(kept(share, THINNEST)), -1, 0)
    along, across = (green + blue) / 2 - red, ROOT3_HALF * (blue - green)
    chroma = np.sqrt(along * along + across * across + 1e-12)
    return chroma, along / chroma, across / chroma


def level_of(rgb: Float64) -> Float64:
    """The power norm of the light that is there, (…, 1)."""
    return np.asarray(np.maximum(power_norm(rgb), LEAST_LEVEL)[..., None])


@dataclass(frozen=True)
class DyeDensity(PixelOperation):
    """c/N to the power ``richness``^w, and N times 2^(−``depth``·w·s): s goes from 0 at neutral towards 1 as density
    chroma grows. The share w is that of the pixel's hue, less what is spared of near-neutrals and of skin.

    ``shares``: red, yellow, green, cyan, blue, magenta; ``skin_hue`` in degrees of this space.
    """

    richness: float
    depth: float
    shares: tuple[float, ...]
    spare_neutral: float
    spare_skin: float
    skin_hue: float

    def share_at(self, chroma: Float64, cosine: Float64, sine: Float64) -> Float64:
        """w, of a colour's density chroma and its hue."""
        cosines, sines = hue_series(self.shares)
        hue = np.arctan2(sine, cosine)[..., None] * np.arange(SHARPEST + 1)
        own = np.cos(hue) @ cosines + np.sin(hue) @ sines
        coloured = chroma**2 / (chroma**2 + HUE_FADE**2)
        turned = np.radians(self.skin_hue)
        skin = (0.5 + 0.5 * (cosine * np.cos(turned) + sine * np.sin(turned))) ** SKIN_SHARP
        guarded = 1 - self.spare_neutral * GUARD**2 / (chroma**2 + GUARD**2)
        mean = np.mean(self.shares)
        return np.asarray(guarded * (mean + coloured * (own - mean)) * (1 - self.spare_skin * coloured * skin))

    def apply(self, rgb: Float64) -> Float64:
        share = rgb / level_of(rgb)
        chroma, cosine, sine = chroma_of(share)
        w = self.share_at(chroma, cosine, sine)
        deeper = self.depth * w * chroma**2 / (chroma**2 + DEEP**2)
        return np.asarray(
            rgb * kept(share, THINNEST) ** (self.richness**w - 1)[..., None] * np.exp2(-deeper)[..., None]
        )
