"""Finding the 24-patch chart in a picture: where its corners lie, or why none was taken.

Every 6 × 4 window and turn of a lattice of spots is read and compared with the published colours after one gain a
channel and an even slope of light. It is a chart when they fit, fit in one way only, and its patches are even. The
thresholds are our own, found on rendered scenes; another camera's matrix moves colours by 0.1 to 0.35 stop.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.charts.grid import Corners
from upwelling.core.charts.patch_chart import chart_linear
from upwelling.core.charts.settle import settled
from upwelling.core.charts.spots import FEWEST, lattices, spots_of
from upwelling.core.colour.primaries import Primaries, rgb_to_xyz
from upwelling.core.errors import UpwellingError

WIDE = 1280
"""Pixels across at which charts are looked for."""
MOST_MISFIT, WORST_PATCH, LEAST_LEAD, MOST_ROUGH, LEAST_PITCH = 0.55, 1.5, 1.6, 0.45, 8.0
"""Stops of the whole, stops of one patch, the second best reading's misfit over the best's, spread within patches in
stops, pixels from patch to patch.
"""
FLOOR = 0.02
"""Light added before logs, as a share of the brightest patch."""
MOST_LATTICES = 20
_COLUMN, _ROW = (grid.ravel() for grid in np.meshgrid(np.arange(6), np.arange(4)))


class NoChart(UpwellingError):
    """No chart was found, and why."""


@dataclass(frozen=True)
class ChartFound:
    """``misfit`` in stops, ``spots`` of the lattice, ``patches`` (24, 3) mean light."""

    corners: Corners
    misfit: float
    spots: int
    patches: Float64


@dataclass(frozen=True)
class _Reading:
    misfit: float
    worst: float
    rough: float
    pitch: float
    to_picture: Float64
    patches: Float64
    spots: int = 0


def find_chart(rgb: Any, working: Primaries) -> ChartFound:
    """The chart in scene-linear working light (H, W, 3) of any exposure and balance; raises NoChart."""
    luminance, chart = rgb_to_xyz(working)[1], chart_linear(working.name)
    light: Any = np.nan_to_num(np.asarray(rgb, np.float32), nan=0.0, posinf=0.0, neginf=0.0)
    factor = min(1.0, WIDE / light.shape[1])
    if factor < 1:
        size = (round(light.shape[1] * factor), round(light.shape[0] * factor))
        light = cv2.resize(light, size, interpolation=cv2.INTER_AREA)
    best, second = None, 9.0
    spots = spots_of(light, luminance)
    for cells, points in lattices(spots)[:MOST_LATTICES] if len(spots) else []:
        found: Any = cv2.findHomography(cells.astype(np.float64), points, 0)[0]
        if found is None or len(np.unique(cells[:, 0])) < 2 or len(np.unique(cells[:, 1])) < 2:
            continue
        readings = _readings(light, chart, found, cells)
        if readings and (best is None or readings[0].misfit < best.misfit):
            apart = best is not None and not _same(best.to_picture, readings[0].to_picture)
            second = min(readings[1].misfit if len(readings) > 1 else 9.0, best.misfit if best and apart else 9.0)
            best = readings[0]
    if best is None:
        raise NoChart("No grid of patches was found in the picture. Put the corners on the chart by hand.")
    _check(best, second)
    lies = settled(light, best.to_picture)
    corners = cv2.perspectiveTransform(np.array([[[0, 0], [6, 0], [6, 4], [0, 4]]], np.float64), lies)[0]
    shares = corners / (light.shape[1], light.shape[0])
    a, b, c, d = ((float(x), float(y)) for x, y in shares)
    return ChartFound((a, b, c, d), best.misfit, best.spots, best.patches)


def _check(best: _Reading, second: float) -> None:
    if best.misfit > MOST_MISFIT or best.worst > WORST_PATCH:
        raise NoChart(
            f"A grid of patches was found, but its colours are not the chart's ({best.misfit:.2f} stops apart). "
            "Put the corners on the chart by hand."
        )
    if second < LEAST_LEAD * best.misfit:
        raise NoChart("A grid of patches was found, but it fits the chart in two ways. Put the corners there by hand.")
    if best.rough > MOST_ROUGH:
        raise NoChart("A grid of patches was found, but its patches are not even. Put the corners there by hand.")
    if best.pitch < LEAST_PITCH:
        raise NoChart(f"The chart is too small to be read: {best.pitch:.0f} pixels from patch to patch.")


def _readings(light: Any, chart: Float64, found: Float64, cells: Any) -> list[_Reading]:
    """All windows and turns of a lattice that can be read, the best first."""
    results = []
    for c, s in ((1, 0), (0, 1), (-1, 0), (0, -1)):
        spin = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]], float)  # the chart's cell to the lattice's
        back = cells @ np.array([[c, -s], [s, c]])
        (x0, y0), (x1, y1) = back.min(axis=0), back.max(axis=0)
        for x in _shifts(int(x0), int(x1), 6):
            for y in _shifts(int(y0), int(y1), 4):
                within = ((back >= (x, y)) & (back < (x + 6, y + 4))).all(axis=1)
                if within.mean() < 0.6 or within.sum() < FEWEST:
                    continue
                to_picture = found @ spin @ np.array([[1, 0, x - 0.5], [0, 1, y - 0.5], [0, 0, 1]], float)
                if np.linalg.det(to_picture / to_picture[2, 2]) <= 0:
                    continue
                reading = _read(light, chart, to_picture, int(within.sum()))
                if reading is not None:
                    results.append(reading)
    return sorted(results, key=lambda one: one.misfit)


def _shifts(low: int, high: int, size: int) -> range:
    """Where a window of ``size`` cells may begin on a lattice from low to high."""
    return range(high - size, low + 2) if high - low <= size else range(low, high - size + 2)


def _read(light: Any, chart: Float64, to_picture: Float64, spots: int) -> _Reading | None:
    """The middle of every patch of a chart that lies so; None where it leaves the picture."""
    share = np.linspace(0.3, 0.7, 7)
    u, v = (grid.ravel() for grid in np.meshgrid(share, share))
    points = np.stack([_COLUMN[:, None] + u, _ROW[:, None] + v], axis=-1)
    at = cv2.perspectiveTransform(points.reshape(1, -1, 2), to_picture)[0]
    x, y = np.floor(at).astype(int).T
    if x.min() < 0 or y.min() < 0 or x.max() >= light.shape[1] or y.max() >= light.shape[0]:
        return None
    values = light[y, x].reshape(24, 49, 3).astype(np.float64)
    patches = values.mean(axis=1)
    tone = np.log2(np.maximum(values.mean(axis=2), 0) + FLOOR * max(float(patches.max()), 1e-9))
    rms, worst = _misfit(patches, chart)
    middle = cv2.perspectiveTransform(np.array([[[2.5, 2.0], [3.5, 2.0], [3.0, 1.5], [3.0, 2.5]]]), to_picture)[0]
    pitch = min(float(np.hypot(*(middle[1] - middle[0]))), float(np.hypot(*(middle[3] - middle[2]))))
    return _Reading(rms, worst, float(np.median(tone.std(axis=1))), pitch, to_picture, patches, spots)


def _misfit(patches: Float64, chart: Float64) -> tuple[float, float]:
    """Stops (root mean square, and of the worst patch) after a gain a channel and an even slope of light."""
    logs = [
        np.log2(np.maximum(p, 0) + FLOOR * np.maximum(np.percentile(p, 95, axis=0), 1e-9)) for p in (patches, chart)
    ]
    delta = logs[0] - logs[1]
    delta = delta - delta.mean(axis=0)
    slope = np.column_stack([_COLUMN - 2.5, _ROW - 1.5])
    plane = slope @ np.linalg.lstsq(slope, delta.mean(axis=1), rcond=None)[0]
    rest = delta - np.clip(plane, -2, 2)[:, None]
    each = np.sqrt(np.mean(rest**2, axis=1))
    return float(np.sqrt(np.mean(rest**2))), float(each.max())


def _same(one: Float64, other: Float64) -> bool:
    middle = np.array([[[3.0, 2.0]]])
    a, b = (cv2.perspectiveTransform(middle, m)[0, 0] for m in (one, other))
    return bool(np.hypot(*(a - b)) < 10)
