"""The smooth gamut fit: towards neutral at constant Oklab hue.

On the line from a neutral of lightness L (k = 0) through a colour (k = 1), cone responses are (L + k·q)³, so each output
channel is a cubic in k. ``fit`` finds by bisection where the first channel leaves 0…1; ``soft_limit`` says how far inside the
colour comes to lie.
The form is our own.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.arrays import Float64

KNEE = 0.8
"""Share of the way to the gamut's edge up to which no colour moves."""
BISECTIONS = 40


def soft_limit(reach: Float64) -> Float64:
    """Where a colour at ``reach`` (1 = on the edge) lands: itself up to the knee, then ever nearer to 1; C²."""
    x = np.maximum(reach - KNEE, 0.0) / (1 - KNEE)
    return np.where(reach > KNEE, KNEE + (1 - KNEE) * x / np.sqrt(1 + x * x), reach)


def fit(lightness: Float64, q: Float64, lms_to_rgb: Float64) -> Float64:
    """Output RGB (N, 3) in 0…1 for the neutral's lightness (N,) in 0…1 and the colour's cone root offsets q (N, 3)."""
    scale = np.ones_like(lightness)

    def rgb_at(k: Float64, index: Any = slice(None)) -> Float64:
        root = lightness[index][:, None] + k[:, None] * q[index]
        return np.asarray((root**3) @ lms_to_rgb.T)

    def outside(rgb: Float64) -> Float64:
        return np.asarray((rgb.min(axis=-1) < 0) | (rgb.max(axis=-1) > 1))

    far = np.flatnonzero(outside(rgb_at(np.full_like(lightness, 1 / KNEE))))
    low, high = np.zeros(far.size), np.full(far.size, 1 / KNEE)
    for _ in range(BISECTIONS):
        middle = (low + high) / 2
        out = outside(rgb_at(middle, far))
        low, high = np.where(out, low, middle), np.where(out, middle, high)
    edge = np.maximum(low, 1e-30)
    scale[far] = soft_limit(1 / edge) * edge
    return rgb_at(scale)
