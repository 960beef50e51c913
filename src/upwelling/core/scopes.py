"""Scopes as arrays: RGB parade of a signal, histogram of scene light in stops, and what lies at the ends."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import MID_GREY, Float32
from upwelling.core.kernels import KERNEL_LOCK
from upwelling.core.primaries import Primaries, rgb_to_xyz
from upwelling.core.scopes_kernel import BLOCKS, chroma_counts, end_counts, parade_counts, stop_counts

PARADE_LOW, PARADE_HIGH = -0.05, 1.05
STOP_LOW, STOP_HIGH, STOP_BINS = -10.0, 10.0, 100


@dataclass(frozen=True, eq=False)
class StopHistogram:
    """Counts of luminance by stops from mid grey; the first and last bin hold what lies beyond."""

    counts: Any
    below_zero: float
    above_white: float


def parade(signal: Float32, levels: int = 192, columns: int = 128) -> Any:
    """uint32 (3, levels, columns): how often each level of a (H, W, 3) signal occurs in each column, level 0 lowest.

    Levels run evenly from PARADE_LOW to PARADE_HIGH of signal; what lies beyond is counted in the end levels.
    """
    counts = np.zeros((3, levels, columns), dtype=np.uint32)
    with KERNEL_LOCK:
        parade_counts(signal, np.float32(PARADE_LOW), np.float32(PARADE_HIGH), counts)
    return counts


Weights = tuple[float, float]
"""K_R and K_B of the luma that a signal's standard defines."""
VECTOR_SIZE = 240
SKIN_DEGREES = 123.0
"""The skin-tone line, counted from +Pb towards +Pr: the I axis of NTSC, 33° from +Pr. Common practice, no source."""


def waveform(signal: Float32, weights: Weights, levels: int = 192, columns: int = 256) -> Any:
    """uint32 (1, levels, columns): as ``parade``, of the signal's luma."""
    luma = signal @ np.array([weights[0], 1 - weights[0] - weights[1], weights[1]], dtype=np.float32)
    counts = np.zeros((1, levels, columns), dtype=np.uint32)
    with KERNEL_LOCK:
        parade_counts(np.ascontiguousarray(luma[..., None]), np.float32(PARADE_LOW), np.float32(PARADE_HIGH), counts)
    return counts


def vectorscope(signal: Float32, weights: Weights, size: int = VECTOR_SIZE) -> Any:
    """uint32 (1, size, size): how often each pair of colour differences occurs; columns Pb, rows Pr, −0.5…0.5, row 0 lowest."""
    counts = np.zeros((BLOCKS, size, size), dtype=np.uint32)
    with KERNEL_LOCK:
        chroma_counts(np.ascontiguousarray(signal.reshape(-1, 3)), np.float32(weights[0]), np.float32(weights[1]), counts)
    return counts.sum(axis=0, dtype=np.uint32)[None]


def vector_targets(weights: Weights) -> list[dict[str, Any]]:
    """Places of the six bars' colours at 75 and 100 % of signal: name, percent, Pb and Pr (−0.5…0.5)."""
    kr, kb = weights
    found = []
    for name, rgb in (("R", (1, 0, 0)), ("Ye", (1, 1, 0)), ("G", (0, 1, 0)), ("Cy", (0, 1, 1)), ("B", (0, 0, 1)), ("Mg", (1, 0, 1))):
        y = kr * rgb[0] + (1 - kr - kb) * rgb[1] + kb * rgb[2]
        for percent in (75, 100):
            found.append({"name": name, "percent": percent, "pb": percent / 100 * (rgb[2] - y) / (2 * (1 - kb)),
                          "pr": percent / 100 * (rgb[0] - y) / (2 * (1 - kr))})
    return found


def vector_picture(counts: Any, pixels: int) -> Any:
    """uint8 brightness of vectorscope counts, on a logarithm, so that few pixels of a colour are still seen."""
    return np.rint(255 * np.minimum(np.log1p(counts * np.float32(40_000 / max(pixels, 1))) / np.log(4000.0), 1.0)).astype(np.uint8)


def parade_picture(counts: Any, height: int, width: int) -> Any:
    """uint8 brightness of parade counts: rare levels stay visible, common ones do not burn out."""
    per_column = height * width / counts.shape[2]
    return np.rint(255 * (1 - np.exp(counts * np.float32(-90.0 / per_column)))).astype(np.uint8)


def stop_histogram(rgb_linear: Float32, working: Primaries) -> StopHistogram:
    """Histogram of scene-linear light (H, W, 3) in the working primaries."""
    flat = rgb_linear.reshape(-1, 3)
    counts, extra = np.zeros((BLOCKS, STOP_BINS), np.int64), np.zeros((BLOCKS, 2), np.int64)
    weights = rgb_to_xyz(working)[1].astype(np.float32)
    with KERNEL_LOCK:
        stop_counts(flat, weights, np.float32(1 / MID_GREY), STOP_LOW, STOP_HIGH, counts, extra)
    below, above = extra.sum(axis=0) / max(len(flat), 1)
    return StopHistogram(counts.sum(axis=0), float(below), float(above))


def shares_at_ends(signal: Float32, low: float, high: float) -> tuple[float, float]:
    """Shares of pixels with any channel at or below ``low``, and at or above ``high``."""
    flat = signal.reshape(-1, 3)
    found = np.zeros((BLOCKS, 2), np.int64)
    with KERNEL_LOCK:
        end_counts(flat, np.float32(low), np.float32(high), found)
    below, above = found.sum(axis=0) / max(len(flat), 1)
    return float(below), float(above)


def camera_plateau(code: Float32) -> tuple[float, float]:
    """The file's highest code and the share of pixels with a channel on it: what the camera or its file clipped.

    A share under one pixel in 5,000 is a highlight's tip and not a plateau; it is given as 0.
    """
    highest = float(code.max(initial=0.0))
    share = shares_at_ends(code, -np.inf, highest - 0.25 / 1023)[1]
    return highest, share if share >= 1 / 5000 else 0.0
