"""Pictures made smaller by whole blocks of pixels."""

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
