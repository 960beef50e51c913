"""Settling a chart that was found onto its patches' own edges: its corners lie half a patch beyond what a grid of
middles says, where a small turn of the grid is a large part of a patch.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from upwelling.core.arrays import Float64

CELL, MARGIN, TURNS = 48, 0.3, 3
"""Pixels of a patch in the flattened chart, patches of it shown around, and how often it is flattened anew."""
LEAST_CONTRAST, FEWEST = 0.2, 12
"""Stops between a patch and what surrounds it, and patches, for an edge and a grid to be believed."""
FARTHEST = 0.2
"""Patches by which a middle may be off."""
FLOOR = 0.01
_ALONG = slice(int(0.3 * CELL), int(0.7 * CELL))
_MIDDLE = slice(int(0.35 * CELL), int(0.65 * CELL))


def settled(light: Any, to_picture: Float64) -> Float64:
    """The homography (3, 3) from cells of the 6 × 4 chart to pixels of light (H, W, 3), its patches in the middle of
    their cells; the one given where too few edges are seen.
    """
    now = to_picture
    for _ in range(TURNS):
        flat = _flattened(light, now)
        cells, middles = [], []
        for column in range(6):
            for row in range(4):
                at = _middle(flat, column, row)
                if at is not None:
                    cells.append((column + 0.5, row + 0.5))
                    middles.append((column + at[0], row + at[1]))
        if len(cells) < FEWEST:
            return to_picture
        there = cv2.perspectiveTransform(np.array([middles], np.float64), now)[0]
        found: Any = cv2.findHomography(np.array(cells, np.float64), there, cv2.LMEDS)[0]
        if found is None:
            return to_picture
        now = found
    return now


def _flattened(light: Any, to_picture: Float64) -> Any:
    """Log light of the chart and a margin around, CELL pixels a patch."""
    size = (int((6 + 2 * MARGIN) * CELL), int((4 + 2 * MARGIN) * CELL))
    half = 0.5 / CELL  # a pixel's middle
    to_cells = np.array([[1 / CELL, 0, half - MARGIN], [0, 1 / CELL, half - MARGIN], [0, 0, 1]])
    shift = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1]])  # pixel (0, 0) of a picture is its middle for OpenCV
    flat = cv2.warpPerspective(
        light, shift @ to_picture @ to_cells, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    )
    return np.log2(np.maximum(flat, 0) + FLOOR * max(float(np.percentile(flat, 99)), 1e-9))


def _middle(flat: Any, column: int, row: int) -> tuple[float, float] | None:
    """Where in its cell a patch's middle lies, 0…1 each way; None where it does not stand out on all sides."""
    pad = int(MARGIN * CELL)
    x, y = column * CELL + pad, row * CELL + pad
    own = np.median(flat[y:, x:][_MIDDLE, _MIDDLE].reshape(-1, 3), axis=0)
    around = flat[y - pad : y + CELL + pad, x - pad : x + CELL + pad]
    apart = np.linalg.norm(around - own, axis=-1)
    across = apart[pad:-pad][_ALONG].mean(axis=0)
    down = apart[:, pad:-pad][:, _ALONG].mean(axis=1)
    found = []
    for line in (across, down):
        edges = _edge(line[::-1], pad), _edge(line, pad)
        if edges[0] is None or edges[1] is None:
            return None
        found.append((edges[1] + CELL - edges[0]) / 2 / CELL)
    return (found[0], found[1]) if max(abs(one - 0.5) for one in found) < FARTHEST else None


def _edge(line: Any, pad: int) -> float | None:
    """Where, in pixels from a cell's beginning, a profile that runs out over its end rises to half of what it rises to
    there; None where it does not.
    """
    start = pad + CELL // 2
    top = float(line[start : pad + CELL + pad // 3].max())
    if top < LEAST_CONTRAST:
        return None
    above = np.flatnonzero(line[start:] > top / 2)
    if not len(above) or above[0] == 0:
        return None
    k = start + int(above[0])
    low, high = float(line[k - 1]), float(line[k])
    return k - 1 + (top / 2 - low) / (high - low) + 0.5 - pad
