"""CMX 3600 edit decision lists whose events carry ASC CDL comments (* ASC_SOP and * ASC_SAT), read and written.

Source: ASC CDL v1.2, "ASC CDL and EDLs"; the event line is that of CMX 3600 (from memory): number, reel, track, cut, and four timecodes.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

from upwelling.core.errors import BadLut
from upwelling.core.lut.process import CdlNode

_EVENT = re.compile(r"^\s*(\d{1,6})\s+(\S+)\s+(\S+)\s+(\S+)(?:\s+\d+)?\s+(\d\d:\d\d:\d\d[:;]\d\d)\s+(\d\d:\d\d:\d\d[:;]\d\d)\s+(\d\d:\d\d:\d\d[:;]\d\d)\s+(\d\d:\d\d:\d\d[:;]\d\d)\s*$")
_NUMBER = r"\s*(-?\d*\.?\d+(?:[eE][-+]?\d+)?)"
_SOP = re.compile(r"ASC_SOP\s*" + rf"\({_NUMBER}{_NUMBER}{_NUMBER}\s*\)\s*" * 3)
_SAT = re.compile(rf"ASC_SAT{_NUMBER}\s*$")
MOST_LINES = 200_000


@dataclass(frozen=True)
class Event:
    """One event: reel, clip name, source in and out in frames, and its correction, if it carries one."""

    number: int
    reel: str
    clip: str
    source_in: int
    source_out: int
    cdl: CdlNode | None = None
    line: int = 0


def frames_of(timecode: str, rate: int) -> int:
    """Frames of a non-drop timecode."""
    hours, minutes, seconds, frames = (int(part) for part in re.split("[:;]", timecode))
    return ((hours * 60 + minutes) * 60 + seconds) * rate + frames


def timecode(frames: int, rate: int) -> str:
    """The non-drop timecode of a frame count."""
    seconds, rest = divmod(frames, rate)
    return f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}:{rest:02}"


def parse_edl(data: bytes, name: object = "list.edl", rate: int = 24) -> list[Event]:
    """The events of a list; raises BadLut with the line."""
    try:
        lines = data.decode("utf-8-sig").splitlines()
    except UnicodeDecodeError:
        raise BadLut(name, "this is not a text file, so it is no edit decision list.") from None
    if len(lines) > MOST_LINES:
        raise BadLut(name, f"there are more than {MOST_LINES} lines in it.")
    events: list[Event] = []
    for number, line in enumerate(lines, 1):
        if found := _EVENT.match(line):
            events.append(Event(int(found[1]), found[2], "", frames_of(found[5], rate), frames_of(found[6], rate), line=number))
            continue
        comment = line.strip().lstrip("*").strip()
        if not events or not line.strip().startswith("*"):
            continue
        last = events[-1]
        if comment.upper().startswith("FROM CLIP NAME:"):
            events[-1] = replace(last, clip=comment.split(":", 1)[1].strip()[:120])
        elif comment.startswith("ASC_SOP"):
            values = _SOP.match(comment)
            if values is None:
                raise BadLut(name, f"ASC_SOP should hold three groups of three numbers, found “{comment[:60]}”.", number)
            v = [float(part) for part in values.groups()]
            events[-1] = replace(last, cdl=_checked(CdlNode((v[0], v[1], v[2]), (v[3], v[4], v[5]), (v[6], v[7], v[8]),
                                                            last.cdl.saturation if last.cdl else 1.0), name, number))
        elif comment.startswith("ASC_SAT"):
            value = _SAT.match(comment)
            if value is None:
                raise BadLut(name, f"ASC_SAT should hold one number, found “{comment[:60]}”.", number)
            events[-1] = replace(last, cdl=_checked(replace(last.cdl or CdlNode(), saturation=float(value[1])), name, number))
    if not events:
        raise BadLut(name, "no event stands in it (number, reel, track, cut and four timecodes).")
    return events


def _checked(cdl: CdlNode, name: object, line: int) -> CdlNode:
    if min(cdl.slope) < 0 or min(cdl.power) <= 0 or cdl.saturation < 0:
        raise BadLut(name, "a slope or the saturation is below 0, or a power is not above 0.", line)
    return cdl


def format_edl(title: str, events: Sequence[Event], rate: int = 24) -> str:
    """The list as text; record timecodes run on from one hour. Numbers have six decimals."""
    lines, record = [f"TITLE: {' '.join(title.split())[:70]}", "FCM: NON-DROP FRAME", ""], 3600 * rate
    for number, event in enumerate(events, 1):
        reel = re.sub(r"[^A-Za-z0-9_]", "_", event.reel)[:32] or "AX"
        length = max(event.source_out - event.source_in, 1)
        times = [timecode(f, rate) for f in (event.source_in, event.source_in + length, record, record + length)]
        lines.append(f"{number:03}  {reel:<8} V     C        {' '.join(times)}")
        lines.append(f"* FROM CLIP NAME: {' '.join(event.clip.split())}")
        if event.cdl is not None:
            groups = "".join("(" + " ".join(f"{v:.6f}" for v in triple) + ")" for triple in (event.cdl.slope, event.cdl.offset, event.cdl.power))
            lines += [f"* ASC_SOP {groups}", f"* ASC_SAT {event.cdl.saturation:.6f}"]
        record += length
    return "\n".join(lines) + "\n"
