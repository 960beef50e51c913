"""Reading a cut: a CMX 3600 edit list or an OpenTimelineIO file, through OpenTimelineIO and its CMX adapter.

What the adapter passes over in silence is looked for in the text and said: changes of speed (M2), drop frame written
with colons, and what each transition is.
"""

from __future__ import annotations

import os
import re
from dataclasses import dataclass, replace
from pathlib import Path as FilePath
from typing import Any
from urllib.parse import unquote, urlparse

import opentimelineio as otio

from upwelling.core.errors import UpwellingError
from upwelling.core.lut.process import CdlNode
from upwelling.core.media.timecode import Timecode

LARGEST, MOST_EVENTS = 32 * 2**20, 20_000
"""Bytes of a list, and events in it."""
ROUNDED = 1e-4
"""Share by which 23.976 and 29.97 as people write them differ from 24000/1001 and 30000/1001."""
RATES = (24, 25, 30, 48, 50, 60, 100, 120)
_EVENT = re.compile(r"^\s*(\d{1,6})\s+\S")
_LABEL = re.compile(r"(\d\d:\d\d:\d\d)([:;.])(\d{2,3})")
_UNEQUAL = re.compile(r"durations? don't match.* for clip (.*)", re.DOTALL)
_NUMBER = re.compile(r"\d{1,6}")
"""What the adapter calls a clip that the list gives no name: the event's number."""
_SOURCE = re.compile(r"SOURCE FILE:\s*(.+)", re.IGNORECASE)
_REST = {"slope": (1, 1, 1), "offset": (0, 0, 0), "power": (1, 1, 1)}
_SPEED = re.compile(r"^\s*M2\s+(.*?)\s+(-?[\d.]+)\s+\d\d:\d\d:\d\d[:;.]\d\d", re.IGNORECASE)


class BadCut(UpwellingError):
    """A list that cannot be read, in a sentence."""

    def __init__(self, name: object, problem: str) -> None:
        self.problem = problem
        super().__init__(f"{str(name).rsplit('/', 1)[-1]}: {problem}")


@dataclass(frozen=True)
class Event:
    """One event of the picture: its place in the cut, what it names, and its ranges in frames.

    ``start`` and ``record`` are labels as counts of frames, ``frames`` is how long it is in the source. ``speed`` is
    1 unless the list changes it; ``transition`` says how it begins where that is no cut.
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
    try:
        return _read(FilePath(path), rate)
    except BadCut as error:
        raise BadCut(name or path, error.problem) from None


def _read(place: FilePath, rate: float) -> Cut:
    try:
        data = place.read_bytes() if place.stat().st_size <= LARGEST else b""
    except OSError as error:
        raise BadCut(place, f"cannot be read ({error.strerror}).") from None
    if not data:
        raise BadCut(place, f"is empty, or larger than {LARGEST // 2**20} MiB.")
    if b"\0" in data:
        raise BadCut(place, "is not a text file.")
    text = data.decode("utf-8-sig", errors="replace") if place.suffix.lower() == ".otio" else _text(data)
    if place.suffix.lower() == ".otio":
        return _checked(place, _from_otio(place, text))
    return _checked(place, _from_edl(place, text, rate))


def _checked(place: FilePath, cut: Cut) -> Cut:
    if not cut.events:
        raise BadCut(place, "holds no event of a picture.")
    if len(cut.events) > MOST_EVENTS:
        raise BadCut(place, f"holds more than {MOST_EVENTS} events.")
    return cut


def _text(data: bytes) -> str:
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("latin-1")


def _from_edl(place: FilePath, text: str, rate: float) -> Cut:
    lines = text.splitlines()
    drop = bool(re.search(r"^\s*FCM:\s*DROP", text, re.IGNORECASE | re.MULTILINE))
    rate = rate or (29.97 if drop else _least_rate(lines))
    if drop and round(rate) % 30:
        raise BadCut(place, f"says drop frame, which {rate:g} frames a second have not.")
    usual = float(otio.opentime.RationalTime.nearest_smpte_timecode_rate(rate))
    rate = usual if abs(usual - rate) < ROUNDED * rate else rate
    shown = "\n".join(_with_drop(line, drop) for line in lines)
    try:
        timeline = otio.adapters.read_from_string(shown, "cmx_3600", rate=rate)
    except Exception as error:  # the library raises what it likes for what it does not know
        raise BadCut(place, f"cannot be read as an edit list ({_short(error)}).") from None
    cut = _cut_of(timeline, rate, drop)
    speeds = _speeds(lines)
    if speeds:
        cut = _with_speeds(cut, speeds)
    return cut


def _least_rate(lines: list[str]) -> float:
    most = max((int(found[3]) for line in lines if _EVENT.match(line) for found in _LABEL.finditer(line)), default=0)
    return float(next((rate for rate in RATES if most < rate), RATES[-1]))


def _with_drop(line: str, drop: bool) -> str:
    """An event's labels with the mark that their counting has."""
    if not _EVENT.match(line):
        return line
    return _LABEL.sub(lambda found: f"{found[1]}{';' if drop else ':'}{found[3]}", line)


def _speeds(lines: list[str]) -> dict[str, float]:
    """Frames a second that an M2 line gives its event, by the label the event begins at in the source."""
    found: dict[str, float] = {}
    begins = ""
    for line in lines:
        if _EVENT.match(line):
            labels = list(_LABEL.finditer(line))
            begins = labels[0][0] if len(labels) == 4 else ""
        elif (said := _SPEED.match(line)) and begins:
            found[begins.replace(";", ":").replace(".", ":")] = float(said[2])
    return found


def _with_speeds(cut: Cut, speeds: dict[str, float]) -> Cut:
    """The cut with speeds the list asks for; frozen frames have none."""
    events = []
    for event in cut.events:
        asked = speeds.get(event.label(event.start).replace(";", ":"))
        if asked is not None and event.speed == 1 and asked != cut.rate:
            event = replace(event, speed=asked / cut.rate)
        events.append(event)
    return replace(cut, events=tuple(events))


def _from_otio(place: FilePath, text: str) -> Cut:
    try:
        found = otio.adapters.read_from_string(text, "otio_json")
    except Exception as error:
        raise BadCut(place, f"cannot be read as OpenTimelineIO ({_short(error)}).") from None
    if not isinstance(found, otio.schema.Timeline):
        raise BadCut(place, "holds no timeline.")
    return _cut_of(found, 0.0, False)


def _short(error: Exception) -> str:
    if unequal := _UNEQUAL.search(str(error)):
        return f"event {unequal[1]} is not as long in its source as in the cut, and no M2 line says at which speed"
    return " ".join(str(error).split())[:120] or type(error).__name__


def _cut_of(timeline: Any, rate: float, drop: bool) -> Cut:
    """The picture's events of a timeline; ``rate`` 0: as its first clip says."""
    tracks = list(timeline.video_tracks())
    clips = [clip for track in tracks for clip in track.find_clips()]
    if not clips:
        return Cut(timeline.name or "", rate or 24.0, drop, ())
    first = clips[0].trimmed_range().start_time
    rate = rate or float(first.rate)
    notes = (
        [f"{len(tracks)} picture tracks; their events are listed one track after the other."] if len(tracks) > 1 else []
    )
    if any(isinstance(child, otio.schema.Stack) for track in tracks for child in track):
        notes.append("Clips laid over each other inside a track are listed, not composed.")
    begin = timeline.global_start_time.rescaled_to(rate).to_frames() if timeline.global_start_time else 0
    events: list[Event] = []
    for track in tracks:
        offset = -track.source_range.start_time.rescaled_to(rate).to_frames() if track.source_range else 0
        joins = _joins(track)
        for clip in track.find_clips():
            events.append(_event(len(events) + 1, clip, track, rate, drop, begin + offset, joins.get(id(clip), "")))
    return Cut(timeline.name or "", rate, drop, tuple(events), tuple(notes))


def _joins(track: Any) -> dict[int, str]:
    """How clips begin where that is no cut, by the clip."""
    found, before = {}, None
    for child in track:
        if isinstance(before, otio.schema.Transition):
            length = (before.in_offset + before.out_offset).to_frames()
            kind = str(before.transition_type).replace("SMPTE_", "").replace("_", " ").lower()
            found[id(child)] = f"{kind}, {length} frames"
        before = child
    return found


def _event(number: int, clip: Any, track: Any, rate: float, drop: bool, offset: int, join: str) -> Event:
    own = clip.trimmed_range()
    place = clip.transformed_time_range(otio.opentime.TimeRange(own.start_time, own.duration), track)
    notes, speed = [], 1.0
    for effect in clip.effects:
        if isinstance(effect, otio.schema.FreezeFrame):
            speed = 0.0
        elif isinstance(effect, otio.schema.LinearTimeWarp):
            speed = float(effect.time_scalar)
        else:
            notes.append(f"Carries an effect that is not read: {effect.name or type(effect).__name__}.")
    its_rate = float(own.start_time.rate)
    said = dict(clip.metadata.get("cmx_3600", {}))
    comments = [str(line) for line in said.get("comments", [])]
    file = _file_of(clip.media_reference)
    for line in comments:
        if named := _SOURCE.match(line):
            file = file or named[1].strip()
    return Event(
        number=number,
        name="" if _NUMBER.fullmatch(clip.name or "") else (clip.name or "")[:200],
        reel=str(said.get("reel", ""))[:120],
        file=file[:200],
        start=own.start_time.to_frames(),
        frames=own.duration.to_frames(),
        record=offset + place.start_time.rescaled_to(rate).to_frames(),
        record_frames=own.duration.rescaled_to(rate).to_frames(),
        rate=its_rate,
        drop=drop,
        speed=speed,
        transition=join,
        cdl=_cdl_of(clip.metadata.get("cdl")),
        notes=tuple(notes),
    )


def _cdl_of(said: Any) -> CdlNode | None:
    """The correction in a clip's comments, as the adapter reads it; None where there is none or it is no possible
    one.
    """
    if not said:
        return None
    sop = said.get("asc_sop") or {}
    triples = [tuple(float(v) for v in sop.get(name, rest)) for name, rest in _REST.items()]
    if any(len(triple) != 3 for triple in triples) or min(triples[0]) < 0 or min(triples[2]) <= 0:
        return None
    slope, offset, power = triples
    return CdlNode(slope, offset, power, max(float(said.get("asc_sat", 1.0)), 0.0))  # type: ignore[arg-type]


def _file_of(reference: Any) -> str:
    url = getattr(reference, "target_url", None) or getattr(reference, "name_prefix", None) or ""
    return FilePath(unquote(urlparse(url).path or url)).name
