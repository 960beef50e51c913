"""Scopes as arrays: RGB parade of a signal, histogram of scene light in stops, and what lies at the ends."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import MID_GREY, Float32
from upwelling.core.kernels import KERNEL_LOCK
from upwelling.core.primaries import Primaries, rgb_to_xyz
from upwelling.core.scopes_kernel import BLOCKS, end_counts, parade_counts, stop_counts

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
