"""A sound track decoded for comparing, at a low rate and on one channel."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path as FilePath
from typing import Any

import av
import numpy as np

from upwelling.core.arrays import Float32

RATE, LONGEST = 8000, 600
"""Samples a second and seconds that are kept, from where the file begins."""


@dataclass(frozen=True, eq=False)
class Heard:
    """A track as one channel of ``RATE`` samples a second (N,), its channels, and its whole length in seconds."""

    samples: Float32
    channels: int
    seconds: float

    @property
    def level(self) -> float:
        """Root of the mean square, in shares of full scale."""
        return float(np.sqrt(np.mean(self.samples**2))) if len(self.samples) else 0.0


def heard(place: FilePath, track: int, start: Fraction = Fraction(0), length: Fraction | None = None) -> Heard:
    """A track from ``start`` on, each sample at the time the file gives it."""
    end = float(length) if length is not None else float("inf")
    held = np.zeros(RATE * LONGEST, dtype=np.float32)
    last = 0.0
    with av.open(str(place)) as container:
        stream = container.streams.audio[track]
        channels = len(stream.codec_context.layout.channels)
        shaper = av.AudioResampler("fltp", "mono", RATE)
        begins: float | None = None
        done = 0
        for frame in container.decode(stream):
            at = float(Fraction(frame.pts) * frame.time_base - start) if frame.pts is not None else last
            if at >= end:
                break
            last = min(at + frame.samples / frame.sample_rate, end)
            if begins is None:
                begins = at
            for piece in shaper.resample(frame):
                done = _put(held, piece, begins, done)
    return Heard(held[: max(int(min(last, LONGEST) * RATE), 0)], channels, max(last, 0.0))


def _put(held: Float32, piece: Any, begins: float, done: int) -> int:
    """Lays resampled sound at its place; gives how much there is so far."""
    values = piece.to_ndarray()[0]
    first = round(begins * RATE) + done
    low, high = max(first, 0), min(first + len(values), len(held))
    if high > low:
        held[low:high] = values[low - first : high - first]
    return done + len(values)
