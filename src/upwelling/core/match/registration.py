"""Where one picture of a scene lies in another that differs in exposure, colour, contrast, noise and point of view.

Log luminance is divided by its local mean and spread, so that exposure and smooth light vanish; SIFT's details (D. Lowe
2004; as root-SIFT, Arandjelović and Zisserman 2012) that agree both ways give a homography by MAGSAC++ (Barath et al.
2020); both are OpenCV's. Then the reference is cut into blocks, and each is looked for again around where the
homography puts it, because things near and far move apart. What is too little is refused; the thresholds are our own,
found on rendered views and panoramas.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.match.light import CannotMatch, Picture, Space, correlation

WIDE = 640
"""Pixels across at which pictures are compared."""
FEWEST_DETAILS, LEAST_SHARE, FEWEST_BLOCKS = 14, 0.15, 12
LEAST_LIKENESS, LEAST_CONFIDENCE = 0.55, 0.2
BLOCK, REACH = 16, 10
"""Side of a block, and how far around it is looked for, at the compared size."""
BLOCK_LIKENESS = 0.72
RATIO = 0.85
"""Distance of the best detail over that of the second best."""
USABLE = 0.99
COARSE, LEAST_COARSE = 16, 0.6
"""Large areas along the height, and how alike they must be."""
UNEVEN = 0.3
"""Stops (standard deviation) by which the two pictures' ratio may vary within a block."""


@dataclass(frozen=True, eq=False)
class Registration:
    """``homography`` (3, 3) takes reference pixels to the other picture's. Blocks that agree: ``here`` and ``there``
    (N, 2) are their middles, ``likeness`` (N,) their correlation, ``side`` their side in reference pixels. ``scale`` is
    the other picture's pixels to one of the reference's, ``overlap`` the share of the reference that the other shows.
    """

    homography: Float64
    details: int
    here: Float64
    there: Float64
    likeness: Float64
    side: float
    scale: float
    confidence: float
    overlap: float


@dataclass(frozen=True, eq=False)
class Prepared:
    """A picture made ready to be registered, at the compared size: its light, how many times smaller it is, and the
    details in it: places (N, 2) and what they look like (N, 128).
    """

    rgb: Any
    factor: float
    places: Any
    looks: Any


def prepared(picture: Picture, space: Space) -> Prepared:
    """What of a registration one picture needs alone, for one that is registered to several."""
    rgb, factor = _small(picture)
    sift: Any = cv2.SIFT_create(nfeatures=3000, contrastThreshold=0.02)  # type: ignore[attr-defined]
    found, looks = sift.detectAndCompute(normalised(rgb, space), None)
    if looks is None:
        looks = np.empty((0, 128), np.float32)
    looks = np.sqrt(looks / np.maximum(looks.sum(axis=1, keepdims=True), 1e-9))
    return Prepared(rgb, factor, np.array([one.pt for one in found], np.float32).reshape(-1, 2), looks)


def register(reference: Picture, other: Picture, space: Space) -> Registration:
    """Registers ``other`` to ``reference``; raises CannotMatch with the reason where they do not show one scene."""
    return registered(prepared(reference, space), prepared(other, space), space)


def registered(reference: Prepared, other: Prepared, space: Space) -> Registration:
    """As ``register``, of pictures made ready."""
    ra, fa, rb, fb = reference.rgb, reference.factor, other.rgb, other.factor
    here, there = _details(reference, other)
    if len(here) < FEWEST_DETAILS:
        raise CannotMatch(f"{_WHY} Only {len(here)} details agree.")
    found, inside = cv2.findHomography(here, there, cv2.USAC_MAGSAC, 4.0, maxIters=8000, confidence=0.9999)
    if found is None:
        raise CannotMatch(f"{_WHY} The details that agree do not lie alike.")
    count, share = int(inside.sum()), float(inside.mean())
    rows, columns = ra.shape[:2]
    corners = cv2.perspectiveTransform(np.array([_frame(columns, rows)], np.float32), found)[0]
    area = float(cv2.contourArea(corners, oriented=True)) / (columns * rows)
    fits = cv2.isContourConvex(corners) and 0.02 < area < 50
    if count < FEWEST_DETAILS or share < LEAST_SHARE or not fits:
        raise CannotMatch(f"{_WHY} {count} of {len(here)} details lie alike, which is too few.")
    a, b, likeness, tried = _blocks(normalised(ra, space, 1.5), normalised(rb, space, 1.5), found)
    middle = float(np.median(tried)) if len(tried) else 0.0
    sure = float(np.clip((middle - 0.3) / 0.5, 0, 1) * min(1, count / 60) ** 0.5 * min(1, len(a) / 40) ** 0.5)
    if len(a) < FEWEST_BLOCKS:
        raise CannotMatch(f"{_WHY} Only {len(a)} areas agree.")
    if middle < LEAST_LIKENESS and len(a) < 3 * FEWEST_BLOCKS:
        raise CannotMatch(f"{_WHY} Where they overlap they do not look alike.")
    if sure < LEAST_CONFIDENCE:
        raise CannotMatch(f"{_WHY} Too little agrees to be sure.")
    if (coarse := _coarsely(ra, rb, found, space)) < LEAST_COARSE:
        raise CannotMatch(
            f"{_WHY} Details agree, but the light around them does not ({coarse:.2f}): one thing stands in both, "
            "a chart or lettering, or a sensor's own pattern."
        )
    whole = np.diag([1 / fb, 1 / fb, 1]) @ found @ np.diag([fa, fa, 1])
    seen = cv2.warpPerspective(np.ones(rb.shape[:2], np.float32), np.linalg.inv(found), (columns, rows))
    return Registration(
        whole, count, a / fa, b / fb, likeness, BLOCK / fa, float(np.sqrt(area)) * fa / fb, sure, float(seen.mean())
    )


_WHY = "The two pictures do not seem to show the same scene."


def normalised(rgb: Any, space: Space, blur: float = 0.8, sigma: float = 12.0) -> Any:
    """Log luminance over its local spread, uint8 (H, W): 128 is the local mean, 40 a standard deviation."""
    y = np.maximum(np.asarray(rgb, dtype=np.float32) @ space.luminance.astype(np.float32), 0)
    log = cv2.GaussianBlur(np.log2(y + max(0.03 * float(np.median(y)), 1e-5)), (0, 0), blur)
    detail = log - cv2.GaussianBlur(log, (0, 0), sigma)
    spread = np.sqrt(cv2.GaussianBlur(detail * detail, (0, 0), sigma))
    detail /= spread + 0.15 * float(np.median(spread)) + 0.02
    return np.clip(128 + 40 * detail, 0, 255).astype(np.uint8)


def _small(picture: Picture) -> tuple[Any, float]:
    rgb = np.asarray(picture.rgb, np.float32)
    factor = min(1.0, WIDE / rgb.shape[1])
    if factor == 1:
        return rgb, 1.0
    size = (round(rgb.shape[1] * factor), round(rgb.shape[0] * factor))
    return cv2.resize(rgb, size, interpolation=cv2.INTER_AREA), factor


def _coarsely(a: Any, b: Any, homography: Any, space: Space) -> float:
    """Correlation of log brightness over large areas where the pictures overlap: one scene is alike there too."""
    rows, columns = a.shape[:2]
    inverse = np.linalg.inv(homography)
    size = (round(COARSE * columns / rows), COARSE)
    means = []
    for light in (a, cv2.warpPerspective(b, inverse, (columns, rows))):
        y = np.maximum(light @ space.luminance.astype(np.float32), 0)
        means.append(np.log2(cv2.resize(y, size, interpolation=cv2.INTER_AREA) + 1e-4))
    seen = cv2.warpPerspective(np.ones(b.shape[:2], np.float32), inverse, (columns, rows))
    both = cv2.resize(seen, size, interpolation=cv2.INTER_AREA) > 0.99
    if both.sum() < 12:
        return 1.0
    return correlation(means[0][both], means[1][both])


def _frame(columns: int, rows: int) -> list[list[float]]:
    return [[0, 0], [columns, 0], [columns, rows], [0, rows]]


def _details(a: Prepared, b: Prepared) -> tuple[Any, Any]:
    """Details that agree both ways and are clearly the best: points (N, 2) of each."""
    if len(a.places) < 4 or len(b.places) < 4:
        return np.empty((0, 2), np.float32), np.empty((0, 2), np.float32)
    like = a.looks @ b.looks.T
    best, back = np.argmax(like, axis=1), np.argmax(like, axis=0)
    rows = np.arange(len(like))
    first = like[rows, best]
    like[rows, best] = -1
    near, next_near = (np.sqrt(np.maximum(2 - 2 * s, 0)) for s in (first, like.max(axis=1)))
    keep = (back[best] == rows) & (near < RATIO * next_near)
    return a.places[keep], b.places[best[keep]]


def _blocks(a: Any, b: Any, homography: Any) -> tuple[Float64, Float64, Float64, Float64]:
    """Blocks of ``a`` found again in ``b``: middles in a and b, correlation; and the correlation of all tried."""
    rows, columns = a.shape
    inverse = np.linalg.inv(homography)
    warped = cv2.warpPerspective(b, inverse, (columns, rows), flags=cv2.INTER_LINEAR)
    seen = cv2.warpPerspective(np.full_like(b, 255), inverse, (columns, rows), flags=cv2.INTER_NEAREST)
    here, moved, likeness, tried = [], [], [], []
    half = BLOCK // 2 + 4
    for y in range(half + REACH, rows - half - REACH, BLOCK):
        for x in range(half + REACH, columns - half - REACH, BLOCK):
            block = a[y - half : y + half, x - half : x + half]
            zone = np.s_[y - half - REACH : y + half + REACH, x - half - REACH : x + half + REACH]
            if seen[zone].min() == 0 or block.std() < 8:
                continue
            score = cv2.matchTemplate(warped[zone], block, cv2.TM_CCOEFF_NORMED)
            dy, dx = (int(v) for v in np.unravel_index(int(np.argmax(score)), score.shape))
            tried.append(float(score[dy, dx]))
            if score[dy, dx] < BLOCK_LIKENESS or dy in (0, 2 * REACH) or dx in (0, 2 * REACH):
                continue
            here.append((x, y))
            moved.append((x + dx - REACH, y + dy - REACH))
            likeness.append(float(score[dy, dx]))
    if not here:
        return np.empty((0, 2)), np.empty((0, 2)), np.empty(0), np.array(tried)
    there = cv2.perspectiveTransform(np.array([moved], np.float32), homography)[0]
    return np.array(here, float), np.asarray(there, float), np.array(likeness), np.array(tried)


@dataclass(frozen=True, eq=False)
class Alike:
    """Areas that correspond and are wholly usable: middles and radius in each picture's pixels, weights (N,)."""

    here: Float64
    there: Float64
    radius: float
    other_radius: float
    weights: Float64


def alike(reference: Picture, other: Picture, found: Registration) -> Alike:
    """The areas of a registration that colours can be compared by.

    An area with an unusable pixel on either side is left out whole: dropping pixels of one side alone would bend its
    mean. Weight falls with contrast inside the area, where a small misplacement matters, and rises with likeness.
    """
    radii = max(2.0, found.side * 0.45), max(2.0, found.side * 0.45 * found.scale)
    kept, weights = [], []
    for n, (place, other_place, likeness) in enumerate(zip(found.here, found.there, found.likeness, strict=True)):
        mine, its = (
            _area(picture, float(x), float(y), radius)
            for picture, (x, y), radius in zip((reference, other), (place, other_place), radii, strict=True)
        )
        if mine is None or its is None:
            continue
        uneven = float(np.std(mine[1] - its[1]))  # even where blocks truly correspond, whatever exposure and balance
        if uneven <= UNEVEN:
            kept.append(n)
            weights.append(likeness / ((0.08 + uneven) * (0.15 + (mine[0] + its[0]) / 2)))
    w = np.array(weights)
    return Alike(
        found.here[kept].reshape(-1, 2),
        found.there[kept].reshape(-1, 2),
        radii[0],
        radii[1],
        w / max(float(w.mean()), 1e-9) if len(w) else w,
    )


def area_means(values: Any, middles: Float64, radius: float) -> Float64:
    """Mean (N, C) of a picture's values (H, W, C) over areas around their middles."""
    boxes = [np.s_[_box(values.shape, float(x), float(y), radius)] for x, y in middles]
    return np.array([values[box].reshape(-1, values.shape[-1]).mean(axis=0, dtype=np.float64) for box in boxes])


def areas(reference: Picture, other: Picture, found: Registration) -> tuple[Float64, Float64, Float64, Float64]:
    """Mean light of areas that correspond: of the reference (N, 3), the other (N, 3); weights (N,), middles (N, 2)."""
    both = alike(reference, other, found)
    mine = area_means(reference.rgb, both.here, both.radius).reshape(-1, 3)
    its = area_means(other.rgb, both.there, both.other_radius).reshape(-1, 3)
    return mine, its, both.weights, both.here


def _box(shape: tuple[int, ...], x: float, y: float, radius: float) -> tuple[slice, slice]:
    x0, x1 = max(0, int(x - radius)), min(shape[1], int(x + radius + 1))
    y0, y1 = max(0, int(y - radius)), min(shape[0], int(y + radius + 1))
    return slice(y0, y1), slice(x0, x1)


def _area(picture: Picture, x: float, y: float, radius: float) -> tuple[float, Float64] | None:
    """Relative spread and 6 × 6 log brightness of an area; None where not all of it is usable."""
    box = _box(picture.rgb.shape, x, y, radius)
    block = np.ascontiguousarray(picture.rgb[box], np.float32)
    if min(block.shape[:2]) < 2 or picture.usable[box].mean() < USABLE:
        return None
    flat = block.reshape(-1, 3).astype(np.float64)
    mean = flat.mean(axis=0)
    if (mean <= 1e-4).any():
        return None
    grey = np.maximum(cv2.resize(block, (6, 6), interpolation=cv2.INTER_AREA).sum(axis=2), 0)
    spread = float(flat.std(axis=0).sum() / (abs(mean.sum()) + 1e-6))
    return spread, np.asarray(np.log2(grey + 0.05 * grey.mean() + 1e-6), dtype=np.float64)
