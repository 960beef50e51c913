"""Arrays as picture files for a browser, and smaller by whole blocks."""

from __future__ import annotations

from typing import Any

import cv2
import imagecodecs
import numpy as np

WORKING_WIDTH, WORKING_HEIGHT = 960, 540
"""The working frame of a full one is at most this large."""


def jpeg(picture: Any, quality: int = 95, subsampling: str = "444") -> bytes:
    """A JPEG of a uint8 picture (H, W, 3)."""
    return bytes(imagecodecs.jpeg8_encode(picture, level=quality, subsampling=subsampling))


def rgba(picture: Any) -> bytes:
    """The bytes of a uint8 picture (H, W, 3), each pixel followed by 255."""
    return bytes(cv2.cvtColor(picture, cv2.COLOR_RGB2RGBA).tobytes())


def png(picture: Any) -> bytes:
    """A lossless PNG of a uint8 picture (H, W, 3)."""
    return bytes(imagecodecs.png_encode(picture, level=1))


def block_mean(code: Any, factor: int) -> Any:
    """(H // factor, W // factor, 3) float32: the mean of each block of pixels;
    what is left over at the edges is cut.
    """
    rows, columns = code.shape[0] // factor, code.shape[1] // factor
    whole = np.asarray(code[: rows * factor, : columns * factor], np.float32)
    # Over whole blocks the mean by area is the mean of the block.
    return cv2.resize(whole, (columns, rows), interpolation=cv2.INTER_AREA)


def reduced(code: Any) -> tuple[Any, int]:
    """The working frame of a full one, and how many pixels a side it takes together."""
    height, width = code.shape[:2]
    factor = max(1, -(-width // WORKING_WIDTH), -(-height // WORKING_HEIGHT))
    if factor == 1 or min(height, width) < factor:
        return code, 1
    return block_mean(code, factor), factor
