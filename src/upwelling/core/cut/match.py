"""Which file each event of a cut is of: by file name, clip name or reel, then by timecode; what is missing, ambiguous,
outside the file or of another rate is said and never guessed.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path as FilePath
from typing import Literal

from upwelling.core.count_of import count_of
from upwelling.core.cut.read import Cut, Event
from upwelling.core.errors import UnreadableFile
from upwelling.core.media import ENDINGS, open_footage
from upwelling.core.media.sequence import frames_since_first, group
from upwelling.core.media.timecode import Timecode, reel_of

State = Literal["found", "missing", "ambiguous", "outside", "rate", "black"]
SAID: dict[State, str] = {
    "found": "found",
    "missing": "missing",
    "ambiguous": "more than one file",
    "outside": "outside the file",
    "rate": "another rate",
    "black": "black",
}
SETTLED: tuple[State, ...] = ("found", "black")
"""States in which nothing of an event is left to find."""
REEL_LENGTH = 8
"""Characters of a reel in a CMX list; longer names are cut there (from memory)."""
NEAR_RATE = 0.002
"""Share by which two rates may differ and be one: 23.98 is 24000/1001."""


@dataclass(frozen=True)
class Media:
    """A file or sequence that events may be of. ``begins`` is its first label as a count of frames, None where it has
    none; ``frames`` counts those missing in a sequence's numbers. ``known_as`` are names beside the file's own, ``key``
    is the asker's.
    """

    path: FilePath
    name: str
    reel: str
    begins: int | None
    frames: int
    rate: float
    known_as: tuple[str, ...] = ()
    key: int = 0


@dataclass(frozen=True)
class FoundEvent:
    """What an event is of. ``media`` are the candidates; ``first`` is the frame of the one file it begins at."""

    event: Event
    state: State
    media: tuple[Media, ...]
    first: int | None
    why: str

    @property
    def summary(self) -> str:
        """The state, with what is known of it."""
        return f"{SAID[self.state]}: {self.why}" if self.why else SAID[self.state]


def scan(folder: str | os.PathLike[str]) -> tuple[list[Media], list[str]]:
    """What lies under a folder, sequences as one, and sentences about files that cannot be read."""
    root = FilePath(folder)
    files = sorted(
        FilePath(at) / name
        for at, folders, names in os.walk(root)
        for name in names
        if name.lower().endswith(tuple(ENDINGS)) and not name.startswith(".")
    )
    found, problems = [], []
    for members in group(files):
        try:
            found.append(_media(members))
        except UnreadableFile as error:
            problems.append(str(error))
    return found, problems


def _media(members: Sequence[FilePath]) -> Media:
    footage = open_footage(members[0], members if len(members) > 1 else ())
    facts = footage.facts
    said = {key.lower(): value for key, value in facts.metadata.items()}
    begins = Timecode.read(str(said.get("timecode", "")), facts.rate)
    frames = facts.frames
    if len(members) > 1:
        last = frames_since_first(members, len(members) - 1)
        frames = last + 1 if last is not None else frames
    return Media(members[0], members[0].name, reel_of(said), begins.count if begins else None, frames, facts.rate)


def match_cut(cut: Cut, media: Sequence[Media]) -> list[FoundEvent]:
    """Each event with the file it is of, or why it is of none."""
    names = _Names(media)
    return [_matched(event, names) for event in cut.events]


def _matched(event: Event, names: _Names) -> FoundEvent:
    if event.black:
        return FoundEvent(event, "black", (), None, "")
    candidates = names.of(event)
    if not candidates:
        asked = ", ".join(f"“{name}”" for name in dict.fromkeys((event.file, event.name, event.reel)) if name)
        return FoundEvent(event, "missing", (), None, f"no file is called {asked or 'anything: the event names none'}")
    inside = [one for one in candidates if _first(event, one) is not None and _same_rate(event, one)]
    if len(inside) == 1:
        return FoundEvent(event, "found", (inside[0],), _first(event, inside[0]), "")
    if len(inside) > 1:
        return FoundEvent(event, "ambiguous", tuple(inside), None, ", ".join(one.name for one in inside[:4]))
    other = [one for one in candidates if not _same_rate(event, one)]
    if len(other) == len(candidates):
        rates = ", ".join(f"{one.name} has {one.rate:g}" for one in other[:3])
        return FoundEvent(
            event, "rate", tuple(other), None, f"the event counts {event.rate:g} frames a second, {rates}"
        )
    one = next(one for one in candidates if _same_rate(event, one))
    return FoundEvent(event, "outside", tuple(candidates), None, _range_said(event, one))


class _Names:
    """Files by what lists call them, looked up and not searched: a list may have thousands of events."""

    def __init__(self, media: Sequence[Media]) -> None:
        self._by_name: dict[str, list[Media]] = {}
        self._by_reel: dict[str, list[Media]] = {}
        self._by_stem: dict[str, list[Media]] = {}
        for one in media:
            stem = one.path.stem.lower()
            names = (one.name, stem, stem.rstrip("0123456789").rstrip("._-") or stem, *one.known_as)
            for name in {name.lower() for name in names}:
                self._by_name.setdefault(name, []).append(one)
            if one.reel:
                self._by_reel.setdefault(_reel(one.reel), []).append(one)
            for name in {_reel(stem), stem}:
                self._by_stem.setdefault(name, []).append(one)

    def of(self, event: Event) -> list[Media]:
        """Files that the event names, by the first of its names that any file has."""
        for name in (event.file, event.name):
            found = self._by_name.get(name.lower(), []) if name else []
            if found:
                return found
        reel = event.reel.lower()
        if not reel or reel == "ax":
            return []
        by_stem = [*self._by_stem.get(_reel(reel), []), *self._by_stem.get(reel, [])]
        return self._by_reel.get(_reel(reel), []) or list({id(one): one for one in by_stem}.values())


def _reel(text: str) -> str:
    return text.lower()[:REEL_LENGTH]


def _same_rate(event: Event, one: Media) -> bool:
    """A still has no rate of its own, and a sequence's is assumed."""
    return one.frames == 1 or not one.rate or abs(one.rate - event.rate) <= NEAR_RATE * event.rate


def _first(event: Event, one: Media) -> int | None:
    """The frame of the file an event begins at; None where the file has not all of its frames."""
    first = event.start - (one.begins or 0)
    return first if first >= 0 and first + max(event.frames, 1) <= one.frames else None


def _range_said(event: Event, one: Media) -> str:
    wanted = f"{event.label(event.start)} and {count_of(event.frames, 'frame')} on"
    if one.begins is None:
        return f"{wanted} is asked for; {one.name} has no timecode and {count_of(one.frames, 'frame')}"
    return f"{wanted} is asked for; {one.name} has {event.label(one.begins)} and {count_of(one.frames, 'frame')} on"


def counted(found: Iterable[FoundEvent]) -> dict[State, int]:
    """How many events are in each state that any is in."""
    counts: dict[State, int] = {}
    for one in found:
        counts[one.state] = counts.get(one.state, 0) + 1
    return counts
