"""Clipped highlights rebuilt from the channels that still hold, or calmed to the colour of their light."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.operations.base import PixelOperation
from upwelling.core.operations.colour import smooth

LEAST = 0.02
"""Weight of what the clipped channels prove beside that of those that hold: it decides where none holds."""


@dataclass(frozen=True)
class Highlights(PixelOperation):
    """Light in the channels that clipped, each at ``clip``; ``light`` is the colour of the highlight, of mean 1.

    How bright the highlight is, in units of ``light``, is told by the channels that hold, and at least as bright as
    the last clip that was met. ``rebuild`` lifts a clipped channel to that brightness times its share of ``light``;
    otherwise the pixel goes to the colour of ``light`` at the luminance it has, by ``weights``. ``begins`` is the share
    of a clip from which a channel counts as clipping. Our own rule.
    """

    clip: tuple[float, float, float]
    light: tuple[float, float, float]
    weights: tuple[float, float, float]
    begins: float
    rebuild: bool

    def apply(self, rgb: Float64) -> Float64:
        clip, light = np.array(self.clip), np.array(self.light)
        clipping = smooth((rgb / clip - self.begins) / (1 - self.begins))
        if self.rebuild:
            holding = 1 - clipping
            proved = (clipping * (clip / light)).max(axis=-1)
            bright = ((holding * rgb / light).sum(axis=-1) + LEAST * proved) / (holding.sum(axis=-1) + LEAST)
            return np.asarray(rgb + clipping * np.maximum(bright[..., None] * light - rgb, 0))
        weights = np.array(self.weights)
        calm = light * ((rgb @ weights) / (light @ weights))[..., None]
        return np.asarray(rgb + clipping.max(axis=-1, keepdims=True) * (calm - rgb))
