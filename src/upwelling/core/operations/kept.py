"""Light kept from 0 without a corner, so that its logarithm is finite and its slope bounded."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.arrays import Float64


def kept(light: Float64, least: Any) -> Float64:
    """Itself from ``least`` up, half of that from 0 down, a parabola between; C¹, any shape."""
    t = np.clip(light, 0.0, least)
    return np.where(light < least, least / 2 + t * t / (2 * least), light)
