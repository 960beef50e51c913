"""A frame of the chart as a simulated camera sees it."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.arrays import Float32
from upwelling.core.charts.grid import Corners
from upwelling.core.charts.patch_chart import chart_linear

CARD = (0.86, 0.30, 0.97, 0.70)
"""Where the grey card lies in a chart frame: left, top, right, bottom as shares of width and height."""
CORNERS: Corners = ((0.05, 0.10), (0.80, 0.10), (0.80, 0.90), (0.05, 0.90))
"""Where the chart's corners lie in a chart frame, clockwise from the dark skin patch's."""


def painted(patches: Any, width: int, height: int) -> Any:
    """A flat frame (height, width, 3) of 24 patches (24, 3) on a dark ground, of their own kind of number."""
    frame = np.full((height, width, 3), 0.03, dtype=np.asarray(patches).dtype)
    (left, top), _, (right, bottom), _ = CORNERS
    for row in range(4):
        for column in range(6):
            x0, x1 = (left + (right - left) * (column + m) / 6 for m in (0.06, 0.94))
            y0, y1 = (top + (bottom - top) * (row + m) / 4 for m in (0.06, 0.94))
            patch = patches[6 * row + column]
            frame[int(y0 * height) : int(y1 * height), int(x0 * width) : int(x1 * width)] = patch
    return frame


def chart_frame(width: int = 960, height: int = 540) -> Float32:
    """A flat, evenly lit frame of the chart with an 18 % card beside it: scene-linear AP1 (height, width, 3)."""
    frame: Float32 = painted(chart_linear("AP1").astype(np.float32), width, height)
    x0, y0, x1, y1 = CARD
    frame[int(y0 * height) : int(y1 * height), int(x0 * width) : int(x1 * width)] = 0.18
    return frame
