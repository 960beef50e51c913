"""Pictures that show numbers: false colour by stops, and what is clipped where."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.arrays import MID_GREY, Float32
from upwelling.core.colour.oklab import oklab_to_lms, rgb_to_lms
from upwelling.core.colour.primaries import PRIMARIES, Primaries, rgb_to_xyz
from upwelling.core.kernels import KERNEL_LOCK
from upwelling.core.scopes.facts import by_channel
from upwelling.core.scopes.kernel import band_picture, clip_picture, code_bytes

FIRST_BAND, LAST_BAND = -7, 6
"""Bands are whole stops from mid grey; band n holds n to n + 1 stops, the first and last what lies beyond."""


def _palette() -> tuple[tuple[int, int, int], ...]:
    """Below mid grey blue-green, above it ochre to rose, darkest to lightest in even steps of Oklab lightness.

    The two bands that meet at mid grey are plain greys, so that a rightly exposed grey looks grey. Our own choice of
    colours.
    """
    colours = []
    for band in range(FIRST_BAND, LAST_BAND + 1):
        lightness = 0.22 + 0.72 * (band - FIRST_BAND) / (LAST_BAND - FIRST_BAND)
        hue = 225.0 - 9 * band if band < 0 else 85.0 - 20 * (band - 1)
        colours.append(_oklab_code(lightness, 0.0 if band in (-1, 0) else 0.085, hue))
    return tuple(colours)


def _oklab_code(lightness: float, chroma: float, hue: float) -> tuple[int, int, int]:
    """sRGB code of an Oklab colour, its hue in degrees."""
    angle = np.radians(hue)
    lms = oklab_to_lms(np.array([lightness, chroma * np.cos(angle), chroma * np.sin(angle)]))
    light = np.clip(np.linalg.solve(rgb_to_lms(PRIMARIES["BT.709"], "CAT02"), lms), 0, 1)
    code = np.where(light <= 0.0031308, light * 12.92, 1.055 * light ** (1 / 2.4) - 0.055)  # IEC 61966-2-1
    red, green, blue = (int(v) for v in np.rint(code * 255))
    return red, green, blue


BAND_COLOURS = _palette()
NEAR_COLOURS = tuple(_oklab_code(0.24 + 0.17 * n, 0.012 + 0.024 * n, 195.0 - 30 * n) for n in range(5))
"""From alike, dark and nearly grey, to far apart, light and warm, in even steps of lightness. Our own choice."""
HATCH = (118, 150)
"""Grey codes of the stripes where nothing is known."""
CLIP_COLOURS = {"at black": (92, 60, 150), "at peak by us": (232, 146, 28), "clipped in camera": (255, 255, 255)}


def false_colour(rgb_linear: Float32, working: Primaries) -> Any:
    """uint8 (H, W, 3) of scene-linear light: each pixel in the colour of its whole stop of luminance from mid grey."""
    picture = np.empty(rgb_linear.shape, np.uint8)
    with KERNEL_LOCK:
        band_picture(
            rgb_linear,
            rgb_to_xyz(working)[1].astype(np.float32),
            np.float32(1 / MID_GREY),
            np.float32(FIRST_BAND),
            np.array(BAND_COLOURS, np.uint8),
            picture,
        )
    return picture


def clip_view(signal: Float32, code: Float32, plateau: Any, low: float, high: float) -> Any:
    """uint8 (H, W, 3): the display signal as a dim grey, and in colour what lies at black, at the peak by us, clipped
    in camera.
    """
    picture = np.empty(signal.shape, np.uint8)
    with KERNEL_LOCK:
        clip_picture(
            signal,
            code,
            by_channel(plateau),
            np.float32(low),
            np.float32(high),
            np.array(list(CLIP_COLOURS.values()), np.uint8),
            picture,
        )
    return picture


def classes_view(classes: Any) -> Any:
    """uint8 (H, W, 3) of places among five classes, uint8 (H, W); striped where a place is beyond them."""
    rows, columns = classes.shape
    picture = np.array([*NEAR_COLOURS, (0, 0, 0)], np.uint8)[np.minimum(classes, len(NEAR_COLOURS))]
    stripes = (np.add.outer(np.arange(rows), np.arange(columns)) // 6 % 2).astype(np.uint8)
    unknown = classes >= len(NEAR_COLOURS)
    picture[unknown] = np.array(HATCH, np.uint8)[stripes][unknown][:, None]
    return picture


def to_bytes(view: Any) -> Any:
    """uint8 (H, W, 3) of codes 0…1, rounded and held."""
    picture = np.empty(view.shape, np.uint8)
    with KERNEL_LOCK:
        code_bytes(np.ascontiguousarray(view, dtype=np.float32), picture)
    return picture
