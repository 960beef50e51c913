"""Numbered stills as one piece of footage."""

from __future__ import annotations

import itertools
import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from functools import cached_property
from pathlib import Path as FilePath

from upwelling.core.errors import UnreadableFile
from upwelling.core.media.base import Still
from upwelling.core.media.footage import FileFacts, Footage, Reading
from upwelling.core.media.movie_decode import Damaged

ASSUMED_RATE = 24.0
"""Frames a second of a sequence whose files say none; common practice of film, no source."""
FEWEST_SHARE = 2
"""A sequence lacks at most as many frames as it has; common practice, no source."""
_NUMBERED = re.compile(r"^(.*?)(\d{3,})(\.[A-Za-z0-9]+)$")


def group(paths: Iterable[FilePath]) -> list[list[FilePath]]:
    """Files that differ only in a number of at least three digits before the ending, in runs that keep one step; two or
    more make a sequence.

    Missing frames are no break while the numbers stay on the step and most of them are there; numbers that jump about
    are files of their own, and so is every other file. Order: by name, within a run by number.
    """
    runs: dict[tuple[FilePath, str, str], list[tuple[int, FilePath]]] = {}
    alone: list[list[FilePath]] = []
    for path in sorted(paths):
        match = _NUMBERED.match(path.name)
        if match:
            runs.setdefault((path.parent, match[1], match[3].lower()), []).append((int(match[2]), path))
        else:
            alone.append([path])
    groups = []
    for run in runs.values():
        run.sort()
        together = keeps_a_step([number for number, _ in run])
        groups += [[path for _, path in run]] if together else [[path] for _, path in run]
    return sorted(alone + groups, key=lambda paths: paths[0])


def keeps_a_step(numbers: Sequence[int]) -> bool:
    """Whether rising numbers are those of one sequence: all on the smallest step, and at least half of them there."""
    steps = [b - a for a, b in itertools.pairwise(numbers)]
    step = min(steps, default=1)
    if step < 1 or any(one % step for one in steps):
        return False
    return (numbers[-1] - numbers[0]) // step + 1 <= FEWEST_SHARE * len(numbers)


def numbers_of(paths: Sequence[FilePath]) -> list[int]:
    """The frame numbers in the names."""
    found = [_NUMBERED.match(path.name) for path in paths]
    return [int(match[2]) for match in found if match]


def gaps(numbers: Sequence[int]) -> list[tuple[int, int]]:
    """Missing frame numbers as runs, first and last; of numbers on a wider step, those between its steps are none."""
    step = min((b - a for a, b in itertools.pairwise(numbers)), default=1)
    return [(a + step, b - step) for a, b in itertools.pairwise(numbers) if b > a + step]


def frames_since_first(paths: Sequence[FilePath], index: int) -> int | None:
    """By how many frames a file of a sequence comes after its first, by the numbers in their names: missing ones count.
    None where the numbers are on a wider step, which says nothing of time.
    """
    numbers = numbers_of(paths)
    if min((b - a for a, b in itertools.pairwise(numbers)), default=1) != 1:
        return None
    return numbers[index] - numbers[0]


class NumberedStills:
    """A run of stills of one size and kind, in the order of their numbers; ``opened`` opens one of them."""

    of_kind = "still"

    def __init__(self, paths: Sequence[FilePath], opened: Callable[[FilePath], Footage]) -> None:
        self.paths = list(paths)
        self.opened = opened

    @cached_property
    def facts(self) -> FileFacts:
        return self._as_sequence(self.opened(self.paths[0]).facts)

    def _as_sequence(self, first: FileFacts) -> FileFacts:
        """What the first frame says of itself, said of all of them."""
        if first.kind != self.of_kind:
            raise UnreadableFile(self.paths[0], "numbered files of this kind are taken one by one, not as a sequence.")
        notes = list(first.notes)
        numbers = numbers_of(self.paths)
        step = min((b - a for a, b in itertools.pairwise(numbers)), default=1)
        if step > 1:
            notes.append(f"The frames are numbered in steps of {step}; they are played one after the other.")
        missing = gaps(numbers)
        if missing:
            count = sum((b - a) // step + 1 for a, b in missing)
            where = ", ".join(str(a) if a == b else f"{a} to {b}" for a, b in missing[:4])
            notes.append(
                f"{count} frame{'s are' if count > 1 else ' is'} missing: "
                f"{where}{' and more' if len(missing) > 4 else ''}."
            )
        rate = float(first.metadata.get("frame rate", 0))
        if not rate:
            notes.append(f"The files do not say their frame rate; they are shown at {ASSUMED_RATE:g} frames a second.")
        return replace(first, kind="sequence", frames=len(self.paths), rate=rate or ASSUMED_RATE, notes=tuple(notes))

    def frame(self, index: int = 0, reading: Reading | None = None) -> Still:

        def read(path: FilePath) -> Still:
            still = self.opened(path).frame()
            self._check_size(path, still.width, still.height)
            return still

        return self._whole(index, read)

    def _whole(self, index: int, read: Callable[[FilePath], Still]) -> Still:
        """A frame by its number; raises Damaged where it alone cannot be read, UnreadableFile where all are gone."""
        self._check_number(index)
        try:
            return read(self.paths[index])
        except UnreadableFile as error:
            if not self.paths[0].exists():
                raise
            raise Damaged(error.path, f"frame {index}: {error.problem}") from None

    def _check_number(self, index: int) -> None:
        if not 0 <= index < len(self.paths):
            raise UnreadableFile(
                self.paths[0], f"the sequence has frames 0 to {len(self.paths) - 1}; {index} was asked for."
            )

    def _check_size(self, path: FilePath, width: int, height: int) -> None:
        if (width, height) != (self.facts.width, self.facts.height):
            raise UnreadableFile(
                path, f"is {width} × {height} where the sequence began with {self.facts.width} × {self.facts.height}."
            )
