"""A recording that a camera wrote into several files, because a card holds none larger: one piece of footage."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from functools import cached_property
from pathlib import Path as FilePath
from typing import Any

import numpy as np

from upwelling.core.count_of import count_of
from upwelling.core.errors import UnreadableFile
from upwelling.core.media.base import Still
from upwelling.core.media.footage import FileFacts, Reading
from upwelling.core.media.movie import Movie
from upwelling.core.media.timecode import Timecode

LIMITS = (2**31, 2**32)
"""Bytes that a file on a card cannot have: FAT32 ends at 4 GiB, older cameras at 2."""
NEAR = 0.02
"""Share of a limit within which a full part ends, for cameras close a file at a whole second. Our own choice."""
_ALIKE = ("codec", "depth", "width", "height", "rate", "ycbcr", "subsampling", "turned")


class SpannedMovie(Movie):
    """Parts in their order, played one after the other."""

    def __init__(self, paths: Sequence[FilePath]) -> None:
        super().__init__(paths[0])
        self.parts = [Movie(path) for path in paths]

    @cached_property
    def facts(self) -> FileFacts:
        first = self.parts[0].facts
        for part in self.parts:
            if any(getattr(part.facts, name) != getattr(first, name) for name in _ALIKE):
                raise UnreadableFile(part.path, f"is not of the kind of {self.path.name}: they are no one recording.")
            if part.index.uneven:
                raise UnreadableFile(part.path, "has frames at uneven times; such parts are taken one by one.")
        frames = sum(part.facts.frames for part in self.parts)
        note = f"Recorded in {count_of(len(self.parts), 'file')}, which are played as one."
        return replace(first, frames=frames, notes=(*first.notes, note))

    @cached_property
    def begins(self) -> list[int]:
        """The number of each part's first frame, and of what would come after the last."""
        return [0, *np.cumsum([part.facts.frames for part in self.parts]).tolist()]

    @cached_property
    def times(self) -> Any:
        return np.arange(self.facts.frames) / self.facts.rate

    def through(self, numbers: Sequence[int], reading: Reading | None = None) -> Iterator[Still]:
        count = self.facts.frames
        if numbers and not 0 <= min(numbers) <= max(numbers) < count:
            raise UnreadableFile(self.path, f"has frames 0 to {count - 1}; frame {max(numbers)} was asked for.")
        for part, first, end in zip(self.parts, self.begins, self.begins[1:], strict=False):
            own = [number - first for number in numbers if first <= number < end]
            if own:
                yield from part.through(own, reading or self.default_reading)

    def luma_frames(self, rows: int = 36, columns: int = 64) -> Iterator[Any]:
        for part in self.parts:
            yield from part.luma_frames(rows, columns)


def joined_spans(runs: Sequence[list[FilePath]]) -> list[list[FilePath]]:
    """Movies of one folder in the order of their names, those that are parts of one recording together: each but the
    last ends at a card's limit, and the next one's timecode goes on with the very next frame. Others stay as they are.
    """
    found: list[list[FilePath]] = []
    for run in runs:
        if found and len(run) == 1 and _goes_on(found[-1][-1], run[0]):
            found[-1] = [*found[-1], run[0]]
        else:
            found.append(list(run))
    return found


def is_full(path: FilePath) -> bool:
    """Whether a file ends at a card's limit."""
    size = path.stat().st_size
    return any((1 - NEAR) * limit <= size <= limit for limit in LIMITS)


def _goes_on(before: FilePath, after: FilePath) -> bool:
    if before.suffix.lower() != after.suffix.lower() or not is_full(before):
        return False
    try:
        first, second = Movie(before).facts, Movie(after).facts
    except UnreadableFile:
        return False
    ends = Timecode.read(str(first.metadata.get("timecode", "")), first.rate)
    begins = Timecode.read(str(second.metadata.get("timecode", "")), second.rate)
    alike = all(getattr(first, name) == getattr(second, name) for name in _ALIKE)
    return alike and ends is not None and begins == ends.later(first.frames)
