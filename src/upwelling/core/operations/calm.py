"""Noise calmed, edges kept: guided filters (K. He, J. Sun and X. Tang, "Guided image filtering", ECCV 2010) over log
brightness and colour.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from scipy.ndimage import uniform_filter

from upwelling.core.arrays import STOPS_A_CODE, Float32, Float64
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.curves.spline import Spline
from upwelling.core.kernels import KERNEL_LOCK
from upwelling.core.operations import frame_kernel
from upwelling.core.operations.base import FrameOperation, Place

GREY_CODE = 0.413588402492442
LUMA = (0.25, 0.5, 0.25)
"""Brightness of log channels: green counts twice, as mosaics have it."""
LOWEST, HIGHEST, CELLS = -10.0, 10.0, 400
"""Stops of the table of strengths, and its cells."""
WIDER = 2
"""Colour is averaged over so many times the radius: it carries less detail."""


@dataclass(frozen=True)
class CalmNoise(FrameOperation):
    """Log brightness and the two log colour differences, each drawn towards its guided mean by ``brightness`` and
    ``colour`` (0…1), times ``by_stops`` of the brightness.

    Differences that stay below ``level`` stops within ``radius`` (frame heights) are noise; what is larger is an edge.
    """

    radius: float
    level: float
    brightness: float
    colour: float
    by_stops: Spline

    def reach(self, pixel: float) -> int:
        return 2 * self._pixels(pixel) * (WIDER if self.colour else 1) + 1

    def _pixels(self, pixel: float) -> int:
        return max(1, round(self.radius / pixel))

    def apply_at(self, rgb: Float64, place: Place) -> Float64:
        r, g, b = np.moveaxis(np.asarray(ACESCCT.from_linear(rgb)), -1, 0)
        wr, wg, wb = LUMA
        y = wr * r + wg * g + wb * b
        size, least = self._pixels(place.pixel), (self.level / STOPS_A_CODE) ** 2
        amount = self.by_stops((y - GREY_CODE) * STOPS_A_CODE)
        calm = y + self.brightness * amount * (_guided(y, y, size, least) - y)
        u, v = (one + self.colour * amount * (_guided(y, one, size * WIDER, least) - one) for one in (r - y, b - y))
        red, blue = calm + u, calm + v
        return np.asarray(ACESCCT.to_linear(np.stack([red, (calm - wr * red - wb * blue) / wg, blue], axis=-1)))

    def run_at(self, rgb: Float32, place: Place) -> Float32:
        first, second = np.empty((*rgb.shape[:2], 4), np.float32), np.empty((*rgb.shape[:2], 2), np.float32)
        lines, slopes = np.empty((*rgb.shape[:2], 2), np.float32), np.empty((*rgb.shape[:2], 4), np.float32)
        made = np.empty_like(rgb)
        size, least = self._pixels(place.pixel), np.float32((self.level / STOPS_A_CODE) ** 2)
        with KERNEL_LOCK:
            frame_kernel.calm_moments(rgb, first, second)
        means = _box(np.ascontiguousarray(first[..., :2]), size)
        wide, wide_second = _box(first, size * WIDER), _box(second, size * WIDER)
        with KERNEL_LOCK:
            frame_kernel.calm_brightness(means, least, lines)
            frame_kernel.calm_colours(wide, wide_second, least, slopes)
        lines, slopes = _box(lines, size), _box(slopes, size * WIDER)
        stops = np.linspace(LOWEST, HIGHEST, CELLS + 1)
        p = [self.brightness, self.colour, LOWEST / STOPS_A_CODE + GREY_CODE, STOPS_A_CODE * CELLS / (HIGHEST - LOWEST)]
        table = self.by_stops(stops).astype(np.float32)
        with KERNEL_LOCK:
            frame_kernel.calm_joined(first, second, lines, slopes, np.array(p, dtype=np.float32), table, made)
        return made


def _guided(guide: Float64, plane: Float64, size: int, least: float) -> Float64:
    """The guided filter of a plane: a line of the guide in every window, averaged."""
    mean, middle = _box_reference(guide, size), _box_reference(plane, size)
    spread = np.maximum(_box_reference(guide * guide, size) - mean * mean, 0.0)
    slope = (_box_reference(guide * plane, size) - mean * middle) / (spread + least)
    return _box_reference(slope, size) * guide + _box_reference(middle - slope * mean, size)


def _box_reference(plane: Float64, radius: int) -> Float64:
    return np.asarray(uniform_filter(plane, 2 * radius + 1, mode="reflect"))


def _box(planes: Float32, radius: int) -> Float32:
    side = (2 * radius + 1, 2 * radius + 1)
    return np.asarray(cv2.blur(planes, side, borderType=cv2.BORDER_REFLECT), dtype=np.float32)
