"""A movie of uneven rate seen at an even one: each of its frames is held for as long as the file shows it, so that
picture and sound stay together.

Phones and screen recorders write frames when they have them. One after the other at one rate they run ahead of their
sound, or behind.
"""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import replace
from fractions import Fraction
from functools import cached_property
from typing import Any

import numpy as np

from upwelling.core.errors import UnreadableFile
from upwelling.core.media.base import Still
from upwelling.core.media.footage import FileFacts, Footage, Reading
from upwelling.core.media.movie import Movie
from upwelling.core.media.movie_packets import opened
from upwelling.core.media.rates import exact_rate

USUAL = tuple(
    exact_rate(rate) for rate in (23.976, 24, 25, 29.97, 30, 47.952, 48, 50, 59.94, 60, 100, 119.88, 120, 240)
)
_QUICK, _NEAR = 5, 0.02
"""Percent of intervals that may be shorter than a frame of the even rate, and the share by which a rate may be off and
still be a usual one. Our own choice.
"""
_EARLY = 0.25
"""Share of a frame by which a recorded time may come after the even one and still count as it: containers round."""


def is_uneven(footage: Footage) -> bool:
    """Whether its frames come at different distances in time."""
    return isinstance(footage, Movie) and footage.index.uneven


def even_rate(movie: Movie) -> Fraction:
    """The usual rate at which most of its quickest frames come, or else the least that has one for nearly each."""
    steps = np.diff(movie.times)
    steps = steps[steps > 0]
    short = float(np.percentile(steps, _QUICK))
    wanted = 1 / float(steps[steps < short * 1.4].mean())  # their mean, as containers round each
    nearest = min(USUAL, key=lambda rate: abs(float(rate) - wanted))
    if abs(float(nearest) - wanted) <= _NEAR * wanted:
        return nearest
    return next((rate for rate in USUAL if rate >= wanted), USUAL[-1])


class EvenMovie(Movie):
    """The movie at ``rate``: its frame k shows what the file shows at k/rate after its first picture."""

    def __init__(self, path: str | os.PathLike[str], rate: Fraction) -> None:
        super().__init__(path)
        self.rate = rate

    @cached_property
    def plain(self) -> Movie:
        """The movie as it is."""
        return Movie(self.path)

    @cached_property
    def shown(self) -> Any:
        """(frames,) The number in the file of each frame's picture."""
        times = self.times
        count = max(1, round(self._length() * float(self.rate)))
        at = (np.arange(count) + _EARLY) / float(self.rate)
        return np.searchsorted(times, at, side="right") - 1

    def _length(self) -> float:
        """Seconds to the end of the last frame: as the stream says, else it lasts as long as the one before."""
        times = self.times
        with opened(self.path) as container:
            stream = container.streams.video[0]
            said = float((stream.duration or 0) * stream.time_base)
        step = float(times[-1] - times[-2])
        return said if times[-1] < said <= times[-1] + 2 * step else float(times[-1]) + step

    @cached_property
    def facts(self) -> FileFacts:
        plain = self.plain.facts
        notes = tuple(note for note in plain.notes if note not in self.index.uneven_notes)
        once = len(np.unique(self.shown))
        said = f"Frames come at an uneven rate; they are held in their times, at {float(self.rate):g} a second"
        left = plain.frames - once
        notes += (said + (f", which has no room for {left} of them." if left else "."),)
        return replace(plain, frames=len(self.shown), rate=float(self.rate), notes=notes)

    def range_of(self, first: int, last: int) -> tuple[int, int]:
        """The even frames in which the file's frames of those numbers stand."""
        inside = np.flatnonzero((self.shown >= first) & (self.shown <= last))
        if not len(inside):
            raise UnreadableFile(self.path, f"has no time for its frames {first} to {last} at {float(self.rate):g}.")
        return int(inside[0]), int(inside[-1])

    def through(self, numbers: Sequence[int], reading: Reading | None = None) -> Iterator[Still]:
        """As a movie's; a picture that is held is decoded once."""
        wanted = [int(self.shown[number]) for number in numbers]
        once = list(dict.fromkeys(wanted))
        times = Counter(wanted)
        for number, still in zip(once, self.plain.through(once, reading or self.default_reading), strict=True):
            yield from [still] * times[number]
