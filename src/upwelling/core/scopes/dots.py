"""Vectorscope and chromaticities as arrays: how often each colour occurs in a picture."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.arrays import Float32
from upwelling.core.colour.primaries import Primaries, rgb_to_xyz
from upwelling.core.kernels import KERNEL_LOCK
from upwelling.core.scopes.kernel import FEW, chroma_counts, uv_counts
from upwelling.core.scopes.levels import Weights
from upwelling.core.scopes.spans import Spans

VECTOR_SIZE = 240
UV_TOP = 0.64
"""The chromaticity plot shows u' and v' from 0 to here; the spectral locus reaches 0.6234 and 0.5868."""
SKIN_DEGREES = 123.0
"""The skin-tone line, counted from +Pb towards +Pr: the I axis of NTSC, 33° from +Pr. Common practice, no source."""
LEAST_CHROMA = 0.005
"""Length of the colour difference (Pb, Pr) up to which there is no hue to speak of."""


def vectorscope(signal: Float32, weights: Weights, spans: Spans, gain: float = 1.0, size: int = VECTOR_SIZE) -> Any:
    """uint32 (1, size, size): how often each pair of colour differences occurs; columns Pb, rows Pr, row 0 lowest.

    At gain 1 the plot shows −0.5…0.5; at gain g a g-th of that.
    """
    counts = np.zeros((FEW, size, size), dtype=np.uint32)
    with KERNEL_LOCK:
        chroma_counts(signal, np.float32(weights[0]), np.float32(weights[1]), np.float32(gain), spans, counts)
    return counts.sum(axis=0, dtype=np.uint32)[None]


def chromaticities(rgb_linear: Float32, space: Primaries, spans: Spans, size: int = VECTOR_SIZE) -> Any:
    """uint32 (1, size, size): how often each CIE 1976 u', v' of linear light occurs; columns u', rows v', 0…UV_TOP, row
    0 lowest.
    """
    counts = np.zeros((FEW, size, size), dtype=np.uint32)
    with KERNEL_LOCK:
        uv_counts(rgb_linear, rgb_to_xyz(space).astype(np.float32), np.float32(UV_TOP), spans, counts)
    return counts.sum(axis=0, dtype=np.uint32)[None]


def vector_targets(weights: Weights) -> list[dict[str, Any]]:
    """Places of the six bars' colours at 75 and 100 % of signal: name, percent, Pb and Pr (−0.5…0.5)."""
    found = []
    for name, rgb in (
        ("R", (1, 0, 0)),
        ("Ye", (1, 1, 0)),
        ("G", (0, 1, 0)),
        ("Cy", (0, 1, 1)),
        ("B", (0, 0, 1)),
        ("Mg", (1, 0, 1)),
    ):
        for percent in (75, 100):
            pb, pr = colour_difference(np.array(rgb) * percent / 100, weights)
            found.append({"name": name, "percent": percent, "pb": pb, "pr": pr})
    return found


def colour_difference(rgb: Any, weights: Weights) -> tuple[float, float]:
    """Pb and Pr (−0.5…0.5) of one signal (3,)."""
    kr, kb = weights
    y = kr * rgb[0] + (1 - kr - kb) * rgb[1] + kb * rgb[2]
    return float((rgb[2] - y) / (2 * (1 - kb))), float((rgb[0] - y) / (2 * (1 - kr)))


def luma_of(signal: Any, weights: Weights) -> float:
    """Luma of one signal (3,)."""
    return float(signal @ [weights[0], 1 - sum(weights), weights[1]])


def off_skin_line(signal: Any, weights: Weights) -> float:
    """Degrees of one signal (3,) from the skin-tone line; nan where there is no hue."""
    pb, pr = colour_difference(signal, weights)
    if not float(np.hypot(pb, pr)) > LEAST_CHROMA:
        return float("nan")
    return float((np.degrees(np.arctan2(pr, pb)) - SKIN_DEGREES + 180) % 360 - 180)


def dot_picture(counts: Any, pixels: int) -> Any:
    """uint8 brightness of vectorscope or chromaticity counts, on a logarithm, so that few pixels of a colour are still
    seen.
    """
    return np.rint(
        255 * np.minimum(np.log1p(counts * np.float32(40_000 / max(pixels, 1))) / np.log(4000.0), 1.0)
    ).astype(np.uint8)
