"""Waveforms as arrays: how often each level of a signal occurs in each column of a picture."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.arrays import Float32
from upwelling.core.kernels import KERNEL_LOCK
from upwelling.core.scopes.kernel import level_counts, luma_counts
from upwelling.core.scopes.spans import Spans

LEVEL_LOW, LEVEL_HIGH = -0.05, 1.05
Weights = tuple[float, float]
"""K_R and K_B of the luma that a signal's standard defines."""
Shades = Any
"""uint8 (planes, rows, columns)."""


def parade(signal: Float32, spans: Spans, levels: int = 192, columns: int = 128) -> Any:
    """uint32 (3, levels, columns): how often each level of a (H, W, 3) signal occurs in each column, level 0 lowest.

    Levels run evenly from LEVEL_LOW to LEVEL_HIGH of signal; what lies beyond is counted in the end levels.
    """
    counts = np.zeros((3, columns, levels), dtype=np.uint32)
    with KERNEL_LOCK:
        level_counts(
            signal, np.float32(LEVEL_LOW), np.float32(LEVEL_HIGH), spans, _places(signal.shape[1], columns), counts
        )
    return np.ascontiguousarray(counts.transpose(0, 2, 1))


def waveform(signal: Float32, weights: Weights, spans: Spans, levels: int = 192, columns: int = 256) -> Any:
    """uint32 (1, levels, columns): as ``parade``, of the signal's luma."""
    counts = np.zeros((1, columns, levels), dtype=np.uint32)
    with KERNEL_LOCK:
        luma_counts(
            signal,
            np.float32(weights[0]),
            np.float32(1 - weights[0] - weights[1]),
            np.float32(weights[1]),
            np.float32(LEVEL_LOW),
            np.float32(LEVEL_HIGH),
            spans,
            _places(signal.shape[1], columns),
            counts,
        )
    return np.ascontiguousarray(counts.transpose(0, 2, 1))


def _places(width: int, columns: int) -> Any:
    """The scope's column of each column of a picture."""
    return (np.arange(width) * columns // width).astype(np.uint32)


def level_picture(counts: Any, height: int, width: int) -> Any:
    """uint8 brightness of waveform counts: rare levels stay visible, common ones do not burn out."""
    per_column = height * width / counts.shape[2]
    return np.rint(255 * (1 - np.exp(counts * np.float32(-90.0 / per_column)))).astype(np.uint8)
