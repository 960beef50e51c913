"""Reading a chart whose patches lie in rows and columns between four corners of a picture."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.errors import BadValue

Corners = tuple[tuple[float, float], tuple[float, float], tuple[float, float], tuple[float, float]]
"""The chart's outer corners as shares of width and height, clockwise from that of its first patch."""


@dataclass(frozen=True)
class GridReading:
    """Of each patch, row by row: mean and spread (standard deviation) of its pixels, (N, 3), and how many they are."""

    means: Float64
    spreads: Float64
    pixels: Float64


def read_grid(rgb: Any, corners: Corners, columns: int, rows: int) -> GridReading:
    """The middle 40 % of each patch of a picture (H, W, 3), which lie bilinear between the corners; raises BadValue
    when a patch has no pixels.
    """
    height, width = rgb.shape[:2]
    quad = np.array(corners, dtype=np.float64) * (width, height)
    area = 0.5 * abs(sum(quad[i][0] * quad[i - 3][1] - quad[i - 3][0] * quad[i][1] for i in range(4)))
    if area < columns * rows * 16:
        raise BadValue("The chart is marked too small to be read. Drag its corners to the outer corners of the chart.")
    count = columns * rows
    means, spreads, pixels = np.empty((count, 3)), np.empty((count, 3)), np.empty(count)
    shares = np.linspace(0.3, 0.7, 12)
    for index in range(count):
        row, column = divmod(index, columns)
        u, v = np.meshgrid((column + shares) / columns, (row + shares) / rows)
        points = _inside(quad, u, v)
        x, y = points[..., 0].astype(int), points[..., 1].astype(int)
        if (x < 0).any() or (y < 0).any() or (x >= width).any() or (y >= height).any():
            raise BadValue("A corner of the chart lies outside the picture.")
        x0, x1, y0, y1 = x.min(), x.max() + 1, y.min(), y.max() + 1
        # Near-upright charts take whole blocks, turned ones the sample points.
        upright = (x1 - x0) * (y1 - y0) <= 1.3 * area / count * 0.16
        patch = np.asarray(rgb[y0:y1, x0:x1] if upright else rgb[y, x]).reshape(-1, 3)
        means[index], spreads[index], pixels[index] = patch.mean(axis=0), patch.std(axis=0), len(patch)
    return GridReading(means, spreads, pixels)


def _inside(quad: Float64, u: Any, v: Any) -> Any:
    top = quad[0] + u[..., None] * (quad[1] - quad[0])
    bottom = quad[3] + u[..., None] * (quad[2] - quad[3])
    return top + v[..., None] * (bottom - top)
