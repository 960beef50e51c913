"""A cut's events from OpenTimelineIO: what its library gives is checked event by event before anything is made of
it.
"""

from __future__ import annotations

import math
import re
from dataclasses import replace
from pathlib import Path as FilePath
from typing import Any
from urllib.parse import unquote, urlparse

import opentimelineio as otio

from upwelling.core.cut.edl import BadText, EdlText, EventWords, plain_label, read_text
from upwelling.core.cut.read import MOST_EVENTS, BadCut, Cut, Event
from upwelling.core.lut.process import CdlNode

LEAST_RATE, MOST_RATE = 1.0, 1000.0
MOST_FRAMES = 10**9
"""A count of frames beyond this, either way, is no place in a cut: eleven days at 1000 frames a second."""
MOST_SPEED = 1000.0
ROUNDED = 1e-4
"""Share by which 23.976 and 29.97 as people write them differ from 24000/1001 and 30000/1001."""
_UNEQUAL = re.compile(r"durations? don't match.* for clip (.*)", re.DOTALL)
_NUMBER = re.compile(r"\d{1,6}")
"""What the adapter calls a clip that the list gives no name: the event's number."""
_SOURCE = re.compile(r"SOURCE FILE:\s*(.+)", re.IGNORECASE)
_REST = {"slope": (1, 1, 1), "offset": (0, 0, 0), "power": (1, 1, 1)}


def cut_from(place: FilePath, rate: float) -> Cut:
    """Reads a file; raises BadCut. ``rate`` is for an edit list alone."""
    data = place.read_bytes()
    if b"\0" in data:
        raise BadCut(place, "is not a text file.")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("latin-1")
    if place.suffix.lower() == ".otio":
        return _from_otio(place, text)
    return _from_edl(place, text, rate)


def _from_edl(place: FilePath, text: str, rate: float) -> Cut:
    try:
        said = read_text(text)
    except BadText as error:
        raise BadCut(place, f"{error}.") from None
    rate = rate or (29.97 if said.drop else said.least_rate)
    if said.drop and round(rate) % 30:
        raise BadCut(place, f"says drop frame, which {rate:g} frames a second have not.")
    usual = float(otio.opentime.RationalTime.nearest_smpte_timecode_rate(rate))
    rate = usual if abs(usual - rate) < ROUNDED * rate else rate
    try:
        timeline = otio.adapters.read_from_string(said.shown(), "cmx_3600", rate=rate)
    except Exception as error:  # the library raises what it likes for what it does not know
        raise BadCut(place, f"cannot be read as an edit list ({_short(error)}).") from None
    cut = _cut_of(place, timeline, rate, said.drop)
    return replace(cut, events=tuple(_with_text(event, said, rate) for event in cut.events))


def _with_text(event: Event, text: EdlText, rate: float) -> Event:
    """An event with what the list says of it in lines that the adapter passes over."""
    begins = (plain_label(event.label(event.start)), plain_label(event.label(event.record)))
    said = text.said.get(begins, EventWords())
    event = replace(event, transition=event.transition or said.transition)
    if said.speed is None:
        return event
    speed = said.speed / rate if said.speed != rate else 1.0
    if not abs(speed) <= MOST_SPEED:
        return replace(
            event, notes=(*event.notes, f"Its speed, {said.speed:g} frames a second, is none a cut can have.")
        )
    return replace(event, speed=speed, frames=shown_frames(event.record_frames, speed))


def shown_frames(record_frames: int, speed: float) -> int:
    """How many frames of its source an event shows that is so long in the cut."""
    return max(round(record_frames * abs(speed)), 1)


def _from_otio(place: FilePath, text: str) -> Cut:
    try:
        found = otio.adapters.read_from_string(text, "otio_json")
    except Exception as error:
        raise BadCut(place, f"cannot be read as OpenTimelineIO ({_short(error)}).") from None
    if not isinstance(found, otio.schema.Timeline):
        raise BadCut(place, "holds no timeline.")
    return _cut_of(place, found, 0.0, False)


def _short(error: Exception) -> str:
    if unequal := _UNEQUAL.search(str(error)):
        return f"event {unequal[1][:80]} is not as long in its source as in the cut, and no M2 line says at which speed"
    return " ".join(str(error).split())[:120] or type(error).__name__


def _cut_of(place: FilePath, timeline: Any, rate: float, drop: bool) -> Cut:
    """The picture's events of a timeline; ``rate`` 0: as its first clip says."""
    try:
        tracks = list(timeline.video_tracks())
        clips = [(track, clip) for track in tracks for clip in track.find_clips()]
        title = _text(timeline.name, 200)
        if not clips:
            return Cut(title, rate or 24.0, drop, ())
        if len(clips) > MOST_EVENTS:
            raise BadCut(place, f"holds more than {MOST_EVENTS} events.")
        rate = rate or float(clips[0][1].trimmed_range().start_time.rate)
        if not LEAST_RATE <= rate <= MOST_RATE:
            raise ValueError(f"its first clip counts {rate:g} frames a second; a cut has 1 to 1000")
        begin = _seconds(timeline.global_start_time) if timeline.global_start_time else 0.0
        joins = {id(clip): join for track in tracks for clip, join in _joins(track)}
    except BadCut:
        raise
    except Exception as error:
        raise BadCut(place, f"cannot be read ({_short(error)}).") from None
    notes = (
        [f"{len(tracks)} picture tracks; their events are listed one track after the other."] if len(tracks) > 1 else []
    )
    if any(isinstance(child, otio.schema.Stack) for track in tracks for child in track):
        notes.append("Clips laid over each other inside a track are listed, not composed.")
    events = []
    for number, (track, clip) in enumerate(clips, 1):
        try:
            offset = -_seconds(track.source_range.start_time) if track.source_range else 0.0
            events.append(_event(number, clip, track, rate, drop, begin + offset, joins.get(id(clip), "")))
        except Exception as error:  # whatever the library has let through
            raise BadCut(place, f"event {number} cannot be read ({_short(error)}).") from None
    return Cut(title, rate, drop, tuple(events), tuple(notes))


def _text(value: Any, longest: int) -> str:
    """A name as it can be kept: whole characters, none that ends a string elsewhere."""
    return str(value or "").encode("utf-8", "replace").decode().replace("\0", "")[:longest]


def _seconds(time: Any) -> float:
    """A time in seconds; raises ValueError for one that is none."""
    seconds = float(time.value) / float(time.rate)
    if not math.isfinite(seconds):
        raise ValueError("a time is no number")
    return seconds


def _count(time: Any, rate: float) -> int:
    """A time in whole frames of a rate, the nearest; raises ValueError beyond what a cut can have."""
    value = float(time.value) * rate / float(time.rate)
    if not abs(value) <= MOST_FRAMES:
        raise ValueError(f"{value:g} frames are no place in a cut")
    return round(value)


def _joins(track: Any) -> list[tuple[Any, str]]:
    """Clips that begin otherwise than by a cut, and how."""
    found, before = [], None
    for child in track:
        if isinstance(before, otio.schema.Transition):
            length = before.in_offset + before.out_offset
            kind = _text(before.transition_type, 60).replace("SMPTE_", "").replace("_", " ").lower()
            found.append((child, f"{kind}, {_count(length, length.rate)} frames"))
        before = child
    return found


def _event(number: int, clip: Any, track: Any, rate: float, drop: bool, offset: float, join: str) -> Event:
    own = clip.trimmed_range()
    place = clip.transformed_time_range(otio.opentime.TimeRange(own.start_time, own.duration), track)
    its_rate = float(own.start_time.rate)
    if not LEAST_RATE <= its_rate <= MOST_RATE:
        raise ValueError(f"it counts {its_rate:g} frames a second; a cut has 1 to 1000")
    if own.duration.value < 0:
        raise ValueError("it is shorter than nothing")
    notes, speed = [], 1.0
    for effect in clip.effects:
        if isinstance(effect, otio.schema.FreezeFrame):
            speed = 0.0
        elif isinstance(effect, otio.schema.LinearTimeWarp):
            speed *= float(effect.time_scalar)
        else:
            notes.append(f"Carries an effect that is not read: {_text(effect.name, 80) or type(effect).__name__}.")
    if not (math.isfinite(speed) and abs(speed) <= MOST_SPEED):
        raise ValueError(f"its speed is {speed:g}")
    said = clip.metadata.get("cmx_3600", {})
    said = dict(said) if hasattr(said, "items") else {}
    listed = said.get("comments", [])
    comments = [str(line) for line in listed] if not isinstance(listed, str | int | float | bool) and listed else []
    file = _file_of(clip.media_reference)
    for line in comments:
        if named := _SOURCE.match(line):
            file = file or named[1].strip()
    name = _text(clip.name, 200)
    length = _count(own.duration, its_rate)
    return Event(
        number=number,
        name="" if _NUMBER.fullmatch(name) or name == "None" else name,
        reel=_text(said.get("reel", ""), 120) or _generated(clip.media_reference),
        file=_text(file, 200),
        start=_count(own.start_time, its_rate),
        frames=length if speed == 1 else shown_frames(length, speed),
        record=_count(otio.opentime.RationalTime((offset + _seconds(place.start_time)) * rate, rate), rate),
        record_frames=_count(own.duration, rate),
        rate=its_rate,
        drop=drop,
        speed=speed,
        transition=join[:80],
        cdl=_cdl_of(clip.metadata.get("cdl")),
        notes=tuple(notes),
    )


def _generated(reference: Any) -> str:
    """The reel by which lists know black, of a clip that is of no file."""
    kind = str(getattr(reference, "generator_kind", "")).lower()
    return "BL" if kind in ("black", "slug") else ""


def _cdl_of(said: Any) -> CdlNode | None:
    """The correction in a clip's comments, as the adapter reads it; None where there is none or it is no possible
    one.
    """
    try:
        sop = said.get("asc_sop") or {}
        triples = [tuple(float(v) for v in sop.get(name, rest)) for name, rest in _REST.items()]
        saturation = float(said.get("asc_sat", 1.0))
    except (AttributeError, TypeError, ValueError):
        return None
    numbers = [*(value for triple in triples for value in triple), saturation]
    if not said or any(len(triple) != 3 for triple in triples) or not all(math.isfinite(value) for value in numbers):
        return None
    slope, offset, power = triples
    if min(slope) < 0 or min(power) <= 0:
        return None
    return CdlNode(slope, offset, power, max(saturation, 0.0))  # type: ignore[arg-type]


def _file_of(reference: Any) -> str:
    url = str(getattr(reference, "target_url", None) or getattr(reference, "name_prefix", None) or "")
    try:
        return FilePath(unquote(urlparse(url).path or url)).name
    except ValueError:  # an address that is none: what it ends with may still be a name
        return url.rsplit("/", 1)[-1]
