"""What lies at the ends: light by stops, below 0, above white, outside the gamut; signal at black and peak, clipped in
camera.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import MID_GREY, Float32
from upwelling.core.colour.primaries import Primaries, rgb_to_xyz
from upwelling.core.kernels import KERNEL_LOCK
from upwelling.core.scopes.kernel import BLOCKS, scene_counts, signal_counts
from upwelling.core.scopes.spans import Spans, pixels_in, whole

STOP_LOW, STOP_HIGH, STOP_BINS = -10.0, 10.0, 100


@dataclass(frozen=True, eq=False)
class SceneFacts:
    """Counts of luminance by stops from mid grey (the end bins hold what lies beyond), and shares of the measured
    pixels.
    """

    counts: Any
    pixels: int
    below_zero: float
    negative: float
    above_white: float
    out_of_gamut: float


def scene_facts(rgb_linear: Float32, working: Primaries, to_output: Any, spans: Spans) -> SceneFacts:
    """Of scene-linear light (H, W, 3) in the working primaries; ``to_output`` is the 3×3 matrix to the output's
    primaries.

    below_zero: luminance at or below 0; negative: any channel below 0; above_white: luminance above 1.0; out_of_gamut:
    a channel of the output's primaries negative by more than a thousandth of the largest, before any fit.
    """
    counts, extra = np.zeros((BLOCKS, STOP_BINS), np.int64), np.zeros((BLOCKS, 5), np.int64)
    with KERNEL_LOCK:
        scene_counts(
            rgb_linear,
            rgb_to_xyz(working)[1].astype(np.float32),
            np.asarray(to_output, np.float32),
            np.float32(1 / MID_GREY),
            STOP_LOW,
            STOP_HIGH,
            spans,
            counts,
            extra,
        )
    total, *rest = (int(v) for v in extra.sum(axis=0))
    below, negative, above, outside = (v / max(total, 1) for v in rest)
    return SceneFacts(counts.sum(axis=0), total, below, negative, above, outside)


@dataclass(frozen=True)
class LevelFacts:
    """Shares of the measured pixels, and mean and spread (standard deviation) of each channel.

    at_black, at_peak: any channel there; ours: at the peak though the camera had not clipped; camera: any channel
    clipped in the file, and each.
    """

    at_black: float
    at_peak: float
    ours: float
    camera: float
    mean: tuple[float, ...]
    spread: tuple[float, ...]
    camera_channels: tuple[float, ...] = (0.0, 0.0, 0.0)


def signal_facts(signal: Float32, code: Float32, plateau: Any, low: float, high: float, spans: Spans) -> LevelFacts:
    """Of a signal (H, W, 3): any channel ≤ low, ≥ high; ``code`` (H, W, 3) is the file's,
    clipped from ``plateau`` on, one code or one for each channel.
    """
    found, sums = np.zeros((BLOCKS, 7), np.int64), np.zeros((BLOCKS, 6))
    with KERNEL_LOCK:
        signal_counts(signal, code, by_channel(plateau), np.float32(low), np.float32(high), spans, found, sums)
    pixels = max(pixels_in(spans), 1)
    below, above, ours, camera, *channels = (float(v) / pixels for v in found.sum(axis=0))
    total = sums.sum(axis=0) / pixels
    spread = np.sqrt(np.maximum(total[3:] - total[:3] ** 2, 0))
    return LevelFacts(
        below, above, ours, camera, tuple(map(float, total[:3])), tuple(map(float, spread)), tuple(channels)
    )


def by_channel(plateau: Any) -> Float32:
    """One code or three, as three."""
    return np.array(np.broadcast_to(np.asarray(plateau, np.float32), 3))


def camera_plateau(code: Float32) -> tuple[float, float]:
    """The file's highest code and the share of pixels with a channel on it: what the camera or its file clipped.

    A share under one pixel in 5,000 is a highlight's tip and not a plateau; it is given as 0.
    """
    highest = float(code.max(initial=0.0))
    clipped = signal_facts(code, code, 1e30, -1e30, highest - 0.25 / 1023, whole(*code.shape[:2])).at_peak
    return highest, clipped if clipped >= 1 / 5000 else 0.0
