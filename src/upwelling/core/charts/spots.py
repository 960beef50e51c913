"""Patch-like spots of a picture and the lattices they lie on: the first half of finding a chart.

Spots are contours of adaptive thresholds at several scales, on the log of luminance, of the largest channel and of each
channel, that are four-cornered and differ from the ring around them. Neighbours of like size along a spot's own sides
make a lattice. Coordinates are pixels (x, y).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import cv2
import numpy as np
from scipy.spatial import cKDTree

from upwelling.core.arrays import Float64

FEWEST = 7
"""Spots of a lattice; of 24 patches some always melt into the frame, are glared on or too noisy."""
SCALES, CHANNEL_SCALES = (9, 17, 31, 61, 111), (17, 51)
"""Windows of the adaptive thresholds in pixels."""
LONGEST = 3.0
"""Longer side over the shorter one."""
GAP = 1.12
"""Pitch over a patch's side where a lattice begins to be looked for."""


def spots_of(rgb: Any, luminance: Float64) -> Float64:
    """Spots (N, 7) of light (H, W, 3): middle, sides as vectors u and v, size."""
    y = np.maximum(rgb @ luminance.astype(np.float32), 0)
    floor = 0.02 * float(np.median(y)) + 1e-6
    planes = [rgb.max(axis=2), y, rgb[..., 0], rgb[..., 1], rgb[..., 2]]
    largest = rgb.shape[0] * rgb.shape[1] / 40
    found = [
        spot
        for index, plane in enumerate(planes)
        for contour in _contours(plane, floor, both=index < 2)
        if (spot := _spot(contour, largest)) is not None
    ]
    if not found:
        return np.empty((0, 7))
    spots = np.array(found)
    logs = [np.log2(np.maximum(cv2.GaussianBlur(p, (0, 0), 0.6), 0) + floor) for p in planes[1:]]
    spots = spots[_stand_out(spots, logs)]
    return np.asarray(spots[_one_each(spots)] if len(spots) else spots)


def _contours(plane: Any, floor: float, *, both: bool) -> Iterator[Any]:
    log = np.log2(np.maximum(plane, 0) + floor)
    low, high = np.percentile(log, (0.5, 99.5))
    grey = np.clip((log - low) / max(float(high - low), 1e-6) * 255, 0, 255).astype(np.uint8)
    grey = cv2.GaussianBlur(grey, (0, 0), 0.7)
    for scale in SCALES if both else CHANNEL_SCALES:
        binary = cv2.adaptiveThreshold(grey, 255, cv2.ADAPTIVE_THRESH_MEAN_C, cv2.THRESH_BINARY, scale, -1)
        for side in (binary, 255 - binary) if both else (binary,):
            opened = cv2.morphologyEx(side, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) if scale > 20 else side
            yield from cv2.findContours(opened, cv2.RETR_LIST, cv2.CHAIN_APPROX_SIMPLE)[0]


def _spot(contour: Any, largest: float) -> tuple[float, ...] | None:
    """Middle, sides and size of a four-cornered contour; None for another."""
    area = cv2.contourArea(contour)
    if not 10 <= area <= largest:
        return None
    (cx, cy), (w, h), angle = cv2.minAreaRect(contour)
    if min(w, h) < 3 or max(w, h) > LONGEST * min(w, h):
        return None
    outline = cv2.convexHull(contour)
    hull = cv2.contourArea(outline)
    if area < 0.82 * hull or hull < 0.62 * w * h:
        return None
    corners = cv2.approxPolyDP(outline, 0.09 * cv2.arcLength(contour, True), True)
    if len(corners) == 4:
        q = corners[:, 0].astype(float)
        u, v = (q[1] - q[0] + q[2] - q[3]) / 2, (q[3] - q[0] + q[2] - q[1]) / 2
        moments = cv2.moments(contour)
        cx, cy = moments["m10"] / moments["m00"], moments["m01"] / moments["m00"]
    elif area < 150:  # too small to have corners
        t = np.radians(angle)
        u, v = w * np.array([np.cos(t), np.sin(t)]), h * np.array([-np.sin(t), np.cos(t)])
    else:
        return None
    if u[0] * v[1] < u[1] * v[0]:  # one handedness, so that a lattice is never mirrored
        u, v = v, u
    return (cx, cy, *(float(k) for k in u), *(float(k) for k in v), float(np.sqrt(area)))


def _one_each(spots: Float64) -> list[int]:
    """One spot where several thresholds agree: that of middle size."""
    kept, taken, tree = [], np.zeros(len(spots), bool), cKDTree(spots[:, :2])
    for i in np.argsort(-spots[:, 6]):
        if taken[i]:
            continue
        near = tree.query_ball_point(spots[i, :2], 0.3 * spots[i, 6])
        members = np.array([k for k in near if not taken[k] and spots[k, 6] > 0.55 * spots[i, 6]])
        taken[members] = True
        kept.append(int(members[np.argsort(spots[members, 6])[len(members) // 2]]))
    return kept


_INSIDE = np.array([(i, j) for i in (-0.25, 0.0, 0.25) for j in (-0.25, 0.0, 0.25)])
_RING = np.array([(s * 0.57, t) for s in (-1, 1) for t in (-0.3, 0.0, 0.3)])
_AROUND = np.vstack([_RING, _RING[:, ::-1]])


def _stand_out(spots: Float64, logs: Sequence[Any]) -> Any:
    """Whether a spot (N,) differs from the ring around it, in some channel, by far more than it varies inside."""
    height, width = logs[0].shape

    def values(at: Float64) -> Float64:
        points = spots[:, None, :2] + at[:, :1] * spots[:, None, 2:4] + at[:, 1:] * spots[:, None, 4:6]
        x = np.clip(np.floor(points[..., 0] + 0.5), 0, width - 1).astype(int)
        y = np.clip(np.floor(points[..., 1] + 0.5), 0, height - 1).astype(int)
        return np.array([log[y, x] for log in logs])

    inside, outside = values(_INSIDE), values(_AROUND)
    step = inside.mean(axis=2) - outside.mean(axis=2)
    return (np.abs(step) > np.maximum(0.15, 1.8 * inside.std(axis=2))).any(axis=0)


def lattices(spots: Float64) -> list[tuple[Any, Float64]]:
    """Groups of spots on a grid: cells (M, 2) as whole numbers and points (M, 2), the most regular first."""
    out, used = [], np.zeros(len(spots), bool)
    tree = cKDTree(spots[:, :2])
    for seed in (int(k) for k in np.argsort(-spots[:, 6])):
        if used[seed]:
            continue
        used[seed] = True
        place, pitch = _grown(spots, tree, seed)
        if len(place) < FEWEST:
            continue
        members = list(place)
        cells, points = np.array([place[m] for m in members]), spots[members, :2]
        found, inside = cv2.findHomography(cells.astype(np.float64), points, cv2.RANSAC, 0.12 * pitch + 0.5)
        if found is None or inside.sum() < max(FEWEST, 0.5 * len(members)):
            continue
        ok = inside.ravel() > 0
        used[np.array(members)[ok]] = True
        off = points[ok] - cv2.perspectiveTransform(cells[ok][None].astype(np.float64), found)[0]
        even = 1 + float(np.sqrt(np.mean(off**2))) / (0.04 * pitch + 0.2)
        out.append((float(ok.sum() * ok.mean() ** 2 / even), cells[ok], points[ok]))
    out.sort(key=lambda item: -item[0])
    return [(cells, points) for _, cells, points in out]


def _grown(spots: Float64, tree: Any, seed: int) -> tuple[dict[int, tuple[int, int]], float]:
    """Spots reached from one by steps of a patch, with their cells; and the pitch there."""
    middle, size = spots[:, :2], spots[:, 6]
    place = {seed: (0, 0)}
    sides = {seed: (spots[seed, 2:4] * GAP, spots[seed, 4:6] * GAP)}
    filled, queue = {(0, 0)}, [seed]
    while queue:
        i = queue.pop(0)
        u, v = sides[i]
        for du, dv in ((1, 0), (-1, 0), (0, 1), (0, -1)):
            cell, step = (place[i][0] + du, place[i][1] + dv), du * u + dv * v
            if cell in filled or max(abs(cell[0]), abs(cell[1])) > 7:
                continue
            near = tree.query_ball_point(middle[i] + step, 0.33 * np.hypot(*step))
            alike = [k for k in near if 0.62 < size[k] / size[i] < 1.6]
            if not alike:
                continue
            j = min(alike, key=lambda k: float(np.hypot(*(middle[k] - middle[i] - step))))
            if j in place:
                continue
            real = middle[j] - middle[i]
            sides[j] = (u + du * (real - step) * 0.7, v) if du else (u, v + dv * (real - step) * 0.7)
            place[j] = cell
            filled.add(cell)
            queue.append(j)
    return place, float(np.hypot(*sides[seed][0]) + np.hypot(*sides[seed][1])) / 2
