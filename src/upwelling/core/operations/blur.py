"""Gaussian blurs of planes and pictures, mirrored at the edges: the float64 reference by products of matrices
or SciPy, the fast one by OpenCV.

A wide blur is made at a smaller size: the picture is halved by means as often as it serves, blurred by what is then
still missing, and enlarged again; the means' and the enlargement's own widths are counted, so that the variance is
right.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from scipy.ndimage import gaussian_filter

from upwelling.core.arrays import Float32, Float64

TRUNCATE = 4.0
"""A Gaussian ends at so many sigma."""
LEAST_SIGMA = 0.05
"""Pixels below which there is nothing to blur."""
MOST_LEFT = 12.0
"""Pixels of sigma that may be left to blur where a picture is made no smaller because its halves come out odd."""
LEAST_REDUCED = 1.9
"""Pixels of sigma that a blur keeps when its picture is made smaller for it."""
WORTH_MATRICES = 30
"""Up to so many times a blur's reach a picture is blurred by matrices, as that takes less time. Measured."""
MOST_MATRICES, KEPT_MATRICES = 2048, 640
"""Sizes from which matrices take too much memory to be made, and to be kept."""


def gaussian_reach(sigma: float) -> int:
    """Pixels to either side that a blur looks at."""
    return int(TRUNCATE * sigma + 0.5) if sigma > LEAST_SIGMA else 0


def blur_reference(picture: Float64, sigma: float) -> Float64:
    """A plane (H, W) or picture (H, W, 3) blurred by a Gaussian of ``sigma`` pixels."""
    if sigma <= LEAST_SIGMA:
        return picture
    if max(picture.shape[:2]) < min(WORTH_MATRICES * gaussian_reach(sigma), MOST_MATRICES):
        return _by_matrices(picture, sigma)
    widths = (sigma, sigma, 0) if picture.ndim == 3 else sigma
    return np.asarray(gaussian_filter(picture, widths, mode="reflect", truncate=TRUNCATE))


def _by_matrices(picture: Float64, sigma: float) -> Float64:
    """The same by two products: of a pixel's window with a wide blur a sixth of the time."""
    height, width = picture.shape[:2]
    down, across = ((_kept_matrix if size < KEPT_MATRICES else _matrix)(size, sigma) for size in (height, width))
    columns = (down @ picture.reshape(height, -1)).reshape(height, width, -1)
    turned = np.swapaxes(columns, 0, 1).reshape(width, -1)  # one large product instead of one a row
    rows = (across @ turned).reshape(width, height, -1)
    return np.ascontiguousarray(np.swapaxes(rows, 0, 1)).reshape(picture.shape)


def blurred_pixel(picture: Float64, sigma: float, row: int, column: int) -> Float64:
    """One pixel of ``blur_reference``: a number of a plane, (3,) of a picture."""
    if sigma <= LEAST_SIGMA:
        return np.asarray(picture[row, column])
    height, width = picture.shape[:2]
    line = (_matrix(height, sigma, row) @ picture.reshape(height, -1)).reshape(width, -1)
    return (_matrix(width, sigma, column) @ line).reshape(picture.shape[2:])


def _matrix(size: int, sigma: float, only: int | None = None) -> Float64:
    """What each of ``size`` blurred values, or one alone, takes of each value: the Gaussian, and its mirrored ends."""
    half = gaussian_reach(sigma)
    taps = np.exp(-0.5 * (np.arange(half + 1) / sigma) ** 2)
    taps = np.append(taps / (2 * taps.sum() - taps[0]), 0.0)
    at = np.arange(size)[:, None] if only is None else np.array([[only]])
    of, made = np.arange(size), np.zeros((len(at), size))
    for turn in range(-(half // (2 * size)) - 1, half // (2 * size) + 2):
        for image in (of, -1 - of):
            made += taps[np.minimum(np.abs(at - image - 2 * size * turn), half + 1)]
    return made


_kept_matrix = lru_cache(maxsize=16)(_matrix)


def blur_fast(picture: Float32, sigma: float) -> Float32:
    """The same in float32."""
    return blurs_fast(picture, ((1.0, sigma),))


def blurs_fast(picture: Float32, widths: Sequence[tuple[float, float]]) -> Float32:
    """A weighted sum of blurs (weight, sigma), sigma growing, in float32; each at the smallest size that serves it, and
    sums enlarged together.
    """
    height, width = picture.shape[:2]
    factors = [_factor(sigma, height, width) for _, sigma in widths]
    most = max(factors)
    # Where halves do not come out even, the mirrored picture goes on as far as the widest blur looks.
    far = gaussian_reach(max(sigma for _, sigma in widths)) if height % most or width % most else 0
    pad_y, pad_x = (far + -(size + far) % most for size in (height, width))
    level: Any = cv2.copyMakeBorder(picture, 0, pad_y, 0, pad_x, cv2.BORDER_REFLECT) if pad_y or pad_x else picture
    levels: dict[int, Any] = {1: level}
    factor = 1
    while factor < most:
        factor *= 2
        size = (level.shape[1] // 2, level.shape[0] // 2)
        level = levels[factor] = cv2.resize(level, size, interpolation=cv2.INTER_AREA)
    total: Any = None
    factor = most
    while factor:
        level = levels[factor]
        if total is not None:
            total = cv2.resize(total, (level.shape[1], level.shape[0]), interpolation=cv2.INTER_LINEAR)
        for (weight, sigma), of in zip(widths, factors, strict=True):
            if of == factor:
                # What the means and the lines between their middles spread already is not blurred again.
                missing = max(sigma**2 - _spread_by_size(factor), 0.0)
                blurred = _gaussian(level, missing**0.5 / factor)
                if weight != 1:
                    blurred = blurred * np.float32(weight)
                total = blurred if total is None else cv2.add(total, blurred)
        factor //= 2
    assert total is not None
    return np.ascontiguousarray(total[:height, :width]) if pad_y or pad_x else total


def _factor(sigma: float, height: int, width: int) -> int:
    """How many times smaller a picture is made for a blur: as far as it serves, but no further than halves come out
    even where what is left to blur is small enough there.
    """
    factor = even = 1
    while sigma / (factor * 2) >= LEAST_REDUCED and min(height, width) // (factor * 2) >= 8:
        factor *= 2
        if height % factor == 0 and width % factor == 0:
            even = factor
    return even if sigma / even <= MOST_LEFT else factor


def _spread_by_size(factor: int) -> float:
    """The variance in pixels that being made ``factor`` times smaller, by halves, and larger again costs: a mean of two
    has 1/4, a line at a quarter between two 3/16, in pixels of their own size.
    """
    spread, size = 0.0, 1
    while size < factor:
        spread += size**2 / 4 + (2 * size) ** 2 * 3 / 16
        size *= 2
    return spread


def _gaussian(picture: Float32, sigma: float) -> Float32:
    if sigma <= LEAST_SIGMA:
        return picture
    half = gaussian_reach(sigma)
    height, width = picture.shape[:2]
    x = np.arange(-half, half + 1)
    taps = np.exp(-0.5 * (x / sigma) ** 2)
    taps = (taps / taps.sum()).astype(np.float32)
    if half < min(height, width):
        return _filtered(picture, taps)
    # OpenCV mirrors once only; a picture smaller than the reach is laid out as often as it takes.
    widths = ((half, half), (half, half), *(((0, 0),) if picture.ndim == 3 else ()))
    wide = np.pad(picture, widths, mode="symmetric")
    return np.ascontiguousarray(_filtered(wide, taps)[half : half + height, half : half + width])


def _filtered(picture: Float32, taps: Any) -> Float32:
    made = cv2.sepFilter2D(picture, cv2.CV_32F, taps, taps, borderType=cv2.BORDER_REFLECT)
    return np.asarray(made, dtype=np.float32)
