"""Arrays as picture files for a browser, and the working frame of a full one."""

from __future__ import annotations

from typing import Any

import cv2
import imagecodecs

from upwelling.core.blocks import block_mean

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


def reduced(code: Any) -> tuple[Any, int]:
    """The working frame of a full one, and how many pixels a side it takes together."""
    height, width = code.shape[:2]
    factor = max(1, -(-width // WORKING_WIDTH), -(-height // WORKING_HEIGHT))
    if factor == 1 or min(height, width) < factor:
        return code, 1
    return block_mean(code, factor), factor
