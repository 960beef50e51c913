"""Where a camera, or its file, clipped: a pile of pixels at the top of a channel, which a codec's noise only widens."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from upwelling.core.arrays import Float32, Float64

BINS = 1024
FEWEST = 1 / 5000
"""Share of the pixels under which a pile is a highlight's tip. Our own limit, as the three below."""
FEWEST_PIXELS = 16
LOWEST = BINS // 4
"""No camera clips in the lowest quarter of its codes."""
WIDTHS = (0, 1, 2, 4, 8)
"""Half widths of the pile that are tried, in bins: a clean file's is one code, an 8-bit codec's some of them."""
ABOVE, BELOW, NEAR = 1 / 5, 3.0, 24
"""Above a pile is at most this share of it; it is at least so many times as high as anything so many bins below it,
and the picture ends within twice as many bins above.
"""
_NONE = float("inf")


@dataclass(frozen=True)
class Plateaus:
    """Of each channel: the code of the pile and the code from which a pixel counts to it (inf where there is none), and
    the share of pixels from there on.
    """

    codes: tuple[float, float, float]
    starts: tuple[float, float, float]
    shares: tuple[float, float, float]

    @property
    def found(self) -> bool:
        return any(share > 0 for share in self.shares)


def camera_plateaus(code: Float32) -> Plateaus:
    """The plateaus of a picture's code (H, W, 3)."""
    found = [_of_channel(np.ascontiguousarray(code[..., channel]).ravel()) for channel in range(3)]
    codes, starts, shares = zip(*found, strict=True)
    return Plateaus(codes, starts, shares)


def _of_channel(values: Float32) -> tuple[float, float, float]:
    top = float(values.max(initial=0.0))
    if not np.isfinite(top) or top <= 0:
        return _NONE, _NONE, 0.0
    span = max(top, 1.0)
    places = np.clip(values * np.float32((BINS - 1) / span) + np.float32(0.5), 0, BINS - 1)
    counts = np.bincount(places.astype(np.int32), minlength=BINS).astype(np.float64)
    pile = _pile(counts)
    if pile is None:
        return _NONE, _NONE, 0.0
    middle, foot = pile
    start = (foot - 0.5) * span / (BINS - 1)
    return middle * span / (BINS - 1), start, float(counts[foot:].sum() / counts.sum())


def _pile(counts: Float64) -> tuple[int, int] | None:
    """The bin of the pile's middle, and the lowest bin that belongs to it."""
    whole = counts.sum()
    fewest = max(FEWEST * whole, FEWEST_PIXELS)
    reached = np.flatnonzero(np.cumsum(counts[::-1])[::-1] >= fewest)
    if not reached.size:
        return None
    edge = int(reached[-1])
    for width in WIDTHS:
        masses = np.convolve(counts, np.ones(2 * width + 1), "same")
        low = max(edge - 4 * width - 2, 0)
        middle = low + int(np.argmax(masses[low:]))
        mass = masses[middle]
        right_below = masses[max(middle - 2 * width - NEAR, 0) : max(middle - 2 * width, 0)].max(initial=0.0)
        above = counts[middle + width + 1 :].sum()
        if (
            LOWEST <= middle >= edge - 2 * NEAR
            and mass >= fewest
            and above <= ABOVE * mass
            and mass >= BELOW * right_below
        ):
            return middle, _foot(counts, middle, width)
    return None


def _foot(counts: Float64, middle: int, width: int) -> int:
    """Down from the middle to where a pile's spread meets what lies below it."""
    box = min(2 * width + 1, 5)
    density = np.convolve(counts, np.ones(box) / box, "same")
    ground = counts[max(middle - 3 * NEAR, 0) : max(middle - NEAR, 1)].mean()
    foot = max(middle - width, 0)
    if width:
        while foot > middle - NEAR and density[foot - 1] > max(2 * ground, 0.01 * density[middle]):
            foot -= 1
    return foot
