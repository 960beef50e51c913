"""Pictures made smaller: by whole blocks of pixels, or to means over a grid."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np


def block_mean(code: Any, factor: int) -> Any:
    """(H // factor, W // factor, 3) float32: the mean of each block of pixels;
    what is left over at the edges is cut.
    """
    rows, columns = code.shape[0] // factor, code.shape[1] // factor
    whole = np.asarray(code[: rows * factor, : columns * factor], np.float32)
    # Over whole blocks the mean by area is the mean of the block.
    return cv2.resize(whole, (columns, rows), interpolation=cv2.INTER_AREA)


def grid_mean(picture: Any, rows: int, columns: int, kind: type[np.floating[Any]] = np.float64) -> Any:
    """Means over a grid of squares, (rows, columns, …), of a picture (H, W) or (H, W, C); summed as ``kind``."""
    ys, xs = (
        np.linspace(0, size, count + 1).astype(int) for size, count in zip(picture.shape, (rows, columns), strict=False)
    )
    sums = np.add.reduceat(np.add.reduceat(picture, xs[:-1], axis=1, dtype=kind), ys[:-1], axis=0)
    areas = np.diff(ys)[:, None] * np.diff(xs)[None, :]
    return sums / areas.reshape(areas.shape + (1,) * (sums.ndim - 2))
