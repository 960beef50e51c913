"""Planes grown or shrunk by a disc: each pixel becomes the largest (smallest) within a radius.

A large disc is made of small ones, one after the other, which is the same and far less work. A radius between whole
pixels lies between the results of the two.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import cv2
import numpy as np
from scipy.ndimage import grey_dilation, grey_erosion

from upwelling.core.arrays import Float32, Float64

AT_ONCE = 6
"""Pixels of radius that are grown at once."""


def disc(radius: int) -> Any:
    """uint8 (2·radius + 1, 2·radius + 1): 1 within the radius and a quarter of a pixel."""
    x = np.arange(-radius, radius + 1)
    return (np.hypot(x[None, :], x[:, None]) <= radius + 0.25).astype(np.uint8)


def grow_reference(plane: Float64, radius: float) -> Float64:
    """A plane (H, W) grown by ``radius`` pixels, shrunk below 0."""
    change = grey_dilation if radius > 0 else grey_erosion
    return np.asarray(_grown(plane, abs(radius), lambda p, r: change(p, footprint=disc(r), mode="reflect")))


def grow_fast(plane: Float32, radius: float) -> Float32:
    """The same in float32."""
    change = cv2.dilate if radius > 0 else cv2.erode
    made = _grown(plane, abs(radius), lambda p, r: change(p, disc(r), borderType=cv2.BORDER_REFLECT))
    return np.asarray(made, dtype=np.float32)


def _grown(plane: Any, radius: float, change: Callable[[Any, int], Any]) -> Any:
    whole = int(np.floor(radius))
    share = radius - whole
    while whole:
        at_once = min(whole, AT_ONCE)
        plane = change(plane, at_once)
        whole -= at_once
    if share < 0.01:
        return plane
    return plane + plane.dtype.type(share) * (change(plane, 1) - plane)
