"""Film grain: noise that belongs to places of the frame, not to pixels, the same at every size.

Random numbers stand on a lattice fixed in the frame, each made of its place, the seed and the frame's number. The
field between them is a cubic B-spline, averaged over each pixel exactly: a frame made smaller shows the same grain as
the same frame rendered small. A coarser lattice adds the clumps of film: the spectrum falls towards fine detail.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import comb
from typing import Any, ClassVar

import numpy as np

from upwelling.core.arrays import MID_GREY, Float32, Float64
from upwelling.core.curves.spline import Spline
from upwelling.core.operations.base import PLACE, FrameOperation, Needs, Place
from upwelling.core.operations.grain_kernel import add_fields, grained, lattice_key

SPREAD = 151 / 315
"""Standard deviation of the field over that of the lattice's numbers: the integral of the squared cubic B-spline."""
CLUMP = 2.7
"""How much coarser the second lattice is."""
CLUMPED = 0.45
"""Its share of the field's standard deviation."""
LATTICES = ((1.0, (1 - CLUMPED**2) ** 0.5, 0), (CLUMP, CLUMPED, 4))
"""Pitch over the size, share of the deviation, and the number of the first of its layers, one for each channel."""
FINEST = 1 / 8
"""Pixels between places of a lattice at the least: of finer grain, on thumbnails alone, only the strength is kept."""


def spline_sum(t: Any) -> Any:
    """The integral of the cubic B-spline from −∞ to t."""
    t = np.clip(np.asarray(t, dtype=np.float64), -2.0, 2.0)
    return sum((-1) ** k * comb(4, k) * np.maximum(t + 2 - k, 0.0) ** 4 for k in range(5)) / 24


def pixel_weights(middles: Float64, pixel: float, pitch: float) -> tuple[Any, Float64]:
    """For each pixel the first lattice index that it sees, (N,), and the weights from there on, (N, K): the spline's
    mean over the pixel.
    """
    low, high = (middles - pixel / 2) / pitch, (middles + pixel / 2) / pitch
    first = np.floor(low).astype(np.int64) - 1
    count = int((np.ceil(high).astype(np.int64) + 1 - first).max()) + 1
    places = first[:, None] + np.arange(count)
    weights = (spline_sum(high[:, None] - places) - spline_sum(low[:, None] - places)) / (pixel / pitch)
    return first, weights


@dataclass(frozen=True)
class Grain(FrameOperation):
    """Light times 2^(a·n − a²·ln2·v/2): n is the field, of variance v where the pixel is, and a the amount in stops at
    the pixel's brightness. The second term takes back what the unevenness of powers would add: the mean stays.

    ``size`` is the lattice's pitch in frame heights; ``colour`` goes from one field for all channels, 0, to one for
    each, 1: the channels correlate by 1 − colour².
    """

    size: float
    amount: float
    colour: float
    seed: int
    moment: int
    by_stops: Spline
    luminance: tuple[float, float, float]
    needs: ClassVar[Needs] = PLACE

    def reach(self, pixel: float) -> int:
        return 0

    def fields(self, rows: int, columns: int, place: Place) -> tuple[Any, Float64]:
        """float32 (3, rows, columns), and its variance at each pixel (rows, columns)."""
        x, y = place.along(rows, columns)
        total = np.zeros((3, rows, columns), np.float32)
        variance = np.zeros((rows, columns))
        alike = 1 - self.colour**2
        size = max(self.size, FINEST / place.height)
        for wider, share, layer in LATTICES:
            pitch = size * wider
            (fx, wx), (fy, wy) = pixel_weights(x, place.pixel, pitch), pixel_weights(y, place.pixel, pitch)
            scale = share / SPREAD * (self.size / size)
            variance += np.outer((wy**2).sum(axis=1), (wx**2).sum(axis=1)) * scale**2
            top, left = int(fy.min()), int(fx.min())
            height, width = int(fy.max()) - top + wy.shape[1], int(fx.max()) - left + wx.shape[1]
            wide, high = wx.astype(np.float32), (wy * scale).astype(np.float32)
            keys = [lattice_key(self.seed, self.moment, layer + n) for n in range(3 if alike < 1 else 1)]
            add_fields(total, keys, alike, (top, left, height, width), (fy - top, high), (fx - left, wide))
        return total, variance

    def apply_at(self, rgb: Float64, place: Place) -> Float64:
        fields, variance = self.fields(rgb.shape[0], rgb.shape[1], place)
        y = np.maximum(rgb @ np.array(self.luminance), 1e-6)
        amount = (self.amount * self.by_stops(np.log2(y / MID_GREY)))[..., None]
        return np.asarray(
            rgb * np.exp2(amount * fields.transpose(1, 2, 0) - amount**2 * np.log(2) / 2 * variance[..., None])
        )

    def run_at(self, rgb: Float32, place: Place) -> Float32:
        fields, variance = self.fields(rgb.shape[0], rgb.shape[1], place)
        table = (self.amount * self.by_stops(np.linspace(-12, 12, 241))).astype(np.float32)
        weights = np.array(self.luminance, dtype=np.float32)
        return grained(rgb, fields, (variance * (np.log(2) / 2)).astype(np.float32), table, weights)
