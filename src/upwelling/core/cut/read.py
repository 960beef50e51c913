"""Reading a cut: a CMX 3600 edit list or an OpenTimelineIO file, through OpenTimelineIO and its CMX adapter, in a
process of its own: the library is native code, and a file can end whoever reads it.
"""

from __future__ import annotations

import json
import os
from dataclasses import asdict, dataclass
from pathlib import Path as FilePath
from typing import Any

from upwelling.core.apart import ReadingFailed, ReadingRefused, read_apart
from upwelling.core.errors import UpwellingError
from upwelling.core.lut.process import CdlNode
from upwelling.core.media.timecode import Timecode

LARGEST, MOST_EVENTS = 32 * 2**20, 20_000
"""Bytes of a list, and events in it."""


class BadCut(UpwellingError):
    """A list that cannot be read, in a sentence."""

    def __init__(self, name: object, problem: str) -> None:
        self.problem = problem
        super().__init__(f"{str(name).rsplit('/', 1)[-1]}: {problem}")


@dataclass(frozen=True)
class Event:
    """One event of the picture: its place in the cut, what it names, and its ranges in frames.

    ``start`` and ``record`` are labels as counts of frames, ``frames`` is how many of its source it shows from there:
    at twice the speed twice as many as its ``record_frames``, of a frame that stands still one. ``speed`` is 1 unless
    the list changes it; ``transition`` says how it begins where that is no cut.
    """

    number: int
    name: str
    reel: str
    file: str
    start: int
    frames: int
    record: int
    record_frames: int
    rate: float
    drop: bool = False
    speed: float = 1.0
    transition: str = ""
    cdl: CdlNode | None = None
    notes: tuple[str, ...] = ()

    @property
    def black(self) -> bool:
        """Whether the list asks for black here, by the reel's name that stands for it (CMX 3600, from memory)."""
        return self.reel.upper() in ("BL", "BLACK")

    def label(self, count: int) -> str:
        """The timecode of a count of frames."""
        return str(Timecode(count, round(self.rate), self.drop))


@dataclass(frozen=True)
class Cut:
    """The events in order; ``notes`` are sentences about the list as a whole."""

    title: str
    rate: float
    drop: bool
    events: tuple[Event, ...]
    notes: tuple[str, ...] = ()


def read_cut(path: str | os.PathLike[str], rate: float = 0.0, name: str = "") -> Cut:
    """Reads an .edl or .otio; raises BadCut, which calls it ``name`` where there is one. ``rate`` is an edit list's
    frames a second (0: the least usual one that has all its frames; 29.97 where it says drop frame).
    """
    place, called = FilePath(path), str(name or path).rsplit("/", 1)[-1]
    try:
        size = place.stat().st_size
    except OSError as error:
        raise BadCut(called, f"cannot be read ({error.strerror}).") from None
    if not 0 < size <= LARGEST:
        raise BadCut(called, f"is empty, or larger than {LARGEST // 2**20} MiB.")
    try:
        text = read_apart("cut", called, str(place), float(rate))
    except (ReadingFailed, ReadingRefused) as error:
        raise BadCut(called, str(error).split(": ", 1)[1]) from None
    return _cut_of(json.loads(text or ""))


def cut_as_text(place: str, rate: float) -> str:
    """A cut as JSON, for the process that asked; raises BadCut."""
    from upwelling.core.cut.timeline import cut_from  # in the reader's process alone: the library takes long to load

    cut = cut_from(FilePath(place), rate)
    if not cut.events:
        raise BadCut(place, "holds no event of a picture.")
    if len(cut.events) > MOST_EVENTS:
        raise BadCut(place, f"holds more than {MOST_EVENTS} events.")
    return json.dumps(asdict(cut), allow_nan=False)


def _cut_of(body: dict[str, Any]) -> Cut:
    """The cut of its JSON."""
    return Cut(**body | {"events": tuple(map(_event_of, body["events"])), "notes": tuple(body["notes"])})


def _event_of(row: dict[str, Any]) -> Event:
    cdl = row["cdl"]
    if cdl is not None:
        slope, offset, power = (tuple(cdl[name]) for name in ("slope", "offset", "power"))
        cdl = CdlNode(slope, offset, power, cdl["saturation"])
    return Event(**row | {"cdl": cdl, "notes": tuple(row["notes"])})
