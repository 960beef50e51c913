"""Scopes as arrays: waveforms, vectorscope, chromaticities and stops of a picture or a part of it, and what lies at the ends."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from upwelling.core.arrays import MID_GREY, Float32
from upwelling.core.kernels import KERNEL_LOCK
from upwelling.core.primaries import Primaries, rgb_to_xyz
from upwelling.core.scopes_kernel import (
    BLOCKS,
    FEW,
    chroma_counts,
    level_counts,
    luma_counts,
    scene_counts,
    signal_counts,
    uv_counts,
)

LEVEL_LOW, LEVEL_HIGH = -0.05, 1.05
STOP_LOW, STOP_HIGH, STOP_BINS = -10.0, 10.0, 100
VECTOR_SIZE = 240
UV_TOP = 0.64
"""The chromaticity plot shows u' and v' from 0 to here; the spectral locus reaches 0.6234 and 0.5868."""
SKIN_DEGREES = 123.0
"""The skin-tone line, counted from +Pb towards +Pr: the I axis of NTSC, 33° from +Pr. Common practice, no source."""
Weights = tuple[float, float]
"""K_R and K_B of the luma that a signal's standard defines."""
Spans = Any
"""int32 (H, 2): which columns of each row are measured, from the first to before the second."""


class Region(BaseModel):
    """A rectangle or ellipse on the picture, in shares 0…1 of its width and height."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
    kind: Literal["rectangle", "ellipse"] = "rectangle"
    left: float = Field(ge=0, le=1)
    top: float = Field(ge=0, le=1)
    right: float = Field(ge=0, le=1)
    bottom: float = Field(ge=0, le=1)


def whole(height: int, width: int) -> Spans:
    """Spans of the whole picture."""
    return np.tile(np.array([0, width], dtype=np.int32), (height, 1))


def inner(height: int, width: int, bars: tuple[int, int, int, int]) -> Spans:
    """Spans without bars of so many rows above and below and columns left and right."""
    top, bottom, left, right = bars
    spans = np.tile(np.array([left, width - right], dtype=np.int32), (height, 1))
    spans[:top], spans[height - bottom:] = 0, 0
    return spans


def region_spans(height: int, width: int, region: Region) -> Spans:
    """Spans of a region; at least the one pixel at its middle."""
    y = (np.arange(height) + 0.5) / height
    top, bottom = sorted((region.top, region.bottom))
    left, right = sorted((region.left, region.right))
    middle, half = (left + right) / 2, np.full(height, (right - left) / 2)
    inside = (y >= top) & (y <= bottom)
    if region.kind == "ellipse":
        reach = (y - (top + bottom) / 2) / max((bottom - top) / 2, 1e-9)
        half = half * np.sqrt(np.maximum(1 - reach**2, 0))
    first = np.ceil((middle - half) * width - 0.5)
    last = np.floor((middle + half) * width - 0.5) + 1
    spans = np.where(inside[:, None], np.stack([first, last], axis=-1), 0).clip(0, width).astype(np.int32)
    spans[:, 1] = np.maximum(spans[:, 1], spans[:, 0])
    if not (spans[:, 1] > spans[:, 0]).any():
        row, column = min(int((top + bottom) / 2 * height), height - 1), min(int(middle * width), width - 1)
        spans[row] = column, column + 1
    return spans


def common(a: Spans, b: Spans) -> Spans:
    """Where both measure."""
    low, high = np.maximum(a[:, 0], b[:, 0]), np.minimum(a[:, 1], b[:, 1])
    return np.stack([low, np.maximum(low, high)], axis=-1).astype(np.int32)


def parade(signal: Float32, spans: Spans, levels: int = 192, columns: int = 128) -> Any:
    """uint32 (3, levels, columns): how often each level of a (H, W, 3) signal occurs in each column, level 0 lowest.

    Levels run evenly from LEVEL_LOW to LEVEL_HIGH of signal; what lies beyond is counted in the end levels.
    """
    counts = np.zeros((3, columns, levels), dtype=np.uint32)
    with KERNEL_LOCK:
        level_counts(signal, np.float32(LEVEL_LOW), np.float32(LEVEL_HIGH), spans, _places(signal.shape[1], columns), counts)
    return np.ascontiguousarray(counts.transpose(0, 2, 1))


def waveform(signal: Float32, weights: Weights, spans: Spans, levels: int = 192, columns: int = 256) -> Any:
    """uint32 (1, levels, columns): as ``parade``, of the signal's luma."""
    counts = np.zeros((1, columns, levels), dtype=np.uint32)
    with KERNEL_LOCK:
        luma_counts(signal, np.float32(weights[0]), np.float32(1 - weights[0] - weights[1]), np.float32(weights[1]),
                    np.float32(LEVEL_LOW), np.float32(LEVEL_HIGH), spans, _places(signal.shape[1], columns), counts)
    return np.ascontiguousarray(counts.transpose(0, 2, 1))


def _places(width: int, columns: int) -> Any:
    """The scope's column of each column of a picture."""
    return (np.arange(width) * columns // width).astype(np.uint32)


def vectorscope(signal: Float32, weights: Weights, spans: Spans, gain: float = 1.0, size: int = VECTOR_SIZE) -> Any:
    """uint32 (1, size, size): how often each pair of colour differences occurs; columns Pb, rows Pr, row 0 lowest.

    At gain 1 the plot shows −0.5…0.5; at gain g a g-th of that.
    """
    counts = np.zeros((FEW, size, size), dtype=np.uint32)
    with KERNEL_LOCK:
        chroma_counts(signal, np.float32(weights[0]), np.float32(weights[1]), np.float32(gain), spans, counts)
    return counts.sum(axis=0, dtype=np.uint32)[None]


def chromaticities(rgb_linear: Float32, space: Primaries, spans: Spans, size: int = VECTOR_SIZE) -> Any:
    """uint32 (1, size, size): how often each CIE 1976 u', v' of linear light occurs; columns u', rows v', 0…UV_TOP, row 0 lowest."""
    counts = np.zeros((FEW, size, size), dtype=np.uint32)
    with KERNEL_LOCK:
        uv_counts(rgb_linear, rgb_to_xyz(space).astype(np.float32), np.float32(UV_TOP), spans, counts)
    return counts.sum(axis=0, dtype=np.uint32)[None]


def vector_targets(weights: Weights) -> list[dict[str, Any]]:
    """Places of the six bars' colours at 75 and 100 % of signal: name, percent, Pb and Pr (−0.5…0.5)."""
    found = []
    for name, rgb in (("R", (1, 0, 0)), ("Ye", (1, 1, 0)), ("G", (0, 1, 0)), ("Cy", (0, 1, 1)), ("B", (0, 0, 1)), ("Mg", (1, 0, 1))):
        for percent in (75, 100):
            pb, pr = colour_difference(np.array(rgb) * percent / 100, weights)
            found.append({"name": name, "percent": percent, "pb": pb, "pr": pr})
    return found


def colour_difference(rgb: Any, weights: Weights) -> tuple[float, float]:
    """Pb and Pr (−0.5…0.5) of one signal (3,)."""
    kr, kb = weights
    y = kr * rgb[0] + (1 - kr - kb) * rgb[1] + kb * rgb[2]
    return float((rgb[2] - y) / (2 * (1 - kb))), float((rgb[0] - y) / (2 * (1 - kr)))


def dot_picture(counts: Any, pixels: int) -> Any:
    """uint8 brightness of vectorscope or chromaticity counts, on a logarithm, so that few pixels of a colour are still seen."""
    return np.rint(255 * np.minimum(np.log1p(counts * np.float32(40_000 / max(pixels, 1))) / np.log(4000.0), 1.0)).astype(np.uint8)


def level_picture(counts: Any, height: int, width: int) -> Any:
    """uint8 brightness of waveform counts: rare levels stay visible, common ones do not burn out."""
    per_column = height * width / counts.shape[2]
    return np.rint(255 * (1 - np.exp(counts * np.float32(-90.0 / per_column)))).astype(np.uint8)


@dataclass(frozen=True, eq=False)
class SceneFacts:
    """Counts of luminance by stops from mid grey (the end bins hold what lies beyond), and shares of the measured pixels."""

    counts: Any
    pixels: int
    below_zero: float
    negative: float
    above_white: float
    out_of_gamut: float


def scene_facts(rgb_linear: Float32, working: Primaries, to_output: Any, spans: Spans) -> SceneFacts:
    """Of scene-linear light (H, W, 3) in the working primaries; ``to_output`` is the 3×3 matrix to the output's primaries.

    below_zero: luminance at or below 0; negative: any channel below 0; above_white: luminance above 1.0; out_of_gamut: a channel
    of the output's primaries negative by more than a thousandth of the largest, before any fit.
    """
    counts, extra = np.zeros((BLOCKS, STOP_BINS), np.int64), np.zeros((BLOCKS, 5), np.int64)
    with KERNEL_LOCK:
        scene_counts(rgb_linear, rgb_to_xyz(working)[1].astype(np.float32), np.asarray(to_output, np.float32), np.float32(1 / MID_GREY),
                     STOP_LOW, STOP_HIGH, spans, counts, extra)
    total, *rest = (int(v) for v in extra.sum(axis=0))
    below, negative, above, outside = (v / max(total, 1) for v in rest)
    return SceneFacts(counts.sum(axis=0), total, below, negative, above, outside)


@dataclass(frozen=True)
class SignalFacts:
    """Shares of the measured pixels, and mean and spread (standard deviation) of each channel.

    at_black, at_peak: any channel there; ours: at the peak though the camera had not clipped; camera: clipped in the file.
    """

    at_black: float
    at_peak: float
    ours: float
    camera: float
    mean: tuple[float, ...]
    spread: tuple[float, ...]


def signal_facts(signal: Float32, code: Float32, plateau: float, low: float, high: float, spans: Spans) -> SignalFacts:
    """Of a signal (H, W, 3): any channel ≤ low, ≥ high; ``code`` (H, W, 3) is the file's, clipped from ``plateau`` on."""
    found, sums = np.zeros((BLOCKS, 4), np.int64), np.zeros((BLOCKS, 6))
    with KERNEL_LOCK:
        signal_counts(signal, code, np.float32(plateau), np.float32(low), np.float32(high), spans, found, sums)
    pixels = max(int(np.maximum(spans[:, 1] - spans[:, 0], 0).sum()), 1)
    below, above, ours, camera = (float(v) / pixels for v in found.sum(axis=0))
    total = sums.sum(axis=0) / pixels
    spread = np.sqrt(np.maximum(total[3:] - total[:3] ** 2, 0))
    return SignalFacts(below, above, ours, camera, tuple(map(float, total[:3])), tuple(map(float, spread)))


def camera_plateau(code: Float32) -> tuple[float, float]:
    """The file's highest code and the share of pixels with a channel on it: what the camera or its file clipped.

    A share under one pixel in 5,000 is a highlight's tip and not a plateau; it is given as 0.
    """
    highest = float(code.max(initial=0.0))
    clipped = signal_facts(code, code, 1e30, -1e30, highest - 0.25 / 1023, whole(*code.shape[:2])).at_peak
    return highest, clipped if clipped >= 1 / 5000 else 0.0
