"""CMX 3600 edit decision lists whose events carry ASC CDL comments (* ASC_SOP and * ASC_SAT), read and written.

Source: ASC CDL v1.2, "ASC CDL and EDLs"; the event line is that of CMX 3600 (from memory): number, reel, track, cut,
and four timecodes.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

from upwelling.core.errors import BadLut
from upwelling.core.lut.numbers import number as read_number
from upwelling.core.lut.process import CdlNode

_TIMECODE = re.compile(r"(\d\d):([0-5]\d):([0-5]\d)[:;.](\d{2,3})")
_TRACK = re.compile(r"V\d{0,2}|A\d{0,2}|AA|B|NONE|(?:AA|A\d{0,2})/V\d{0,2}|V\d{0,2}/(?:AA|A\d{0,2})", re.IGNORECASE)
_CUT = re.compile(r"C|D|W\d{1,3}|KB?|KO", re.IGNORECASE)
_CORRECTION = re.compile(r"\*?\s*ASC[_ ]?(SOP|SAT)\b\s*:?(.*)", re.IGNORECASE)
_GROUP = re.compile(r"\(([^()]*)\)")
MOST_LINES = 200_000


@dataclass(frozen=True)
class CdlEvent:
    """One event: reel, clip name, source in and out in frames, and its correction, if it carries one."""

    number: int
    reel: str
    clip: str
    source_in: int
    source_out: int
    cdl: CdlNode | None = None
    line: int = 0


def frames_of(timecode: str, rate: int) -> int:
    """Frames of a non-drop timecode; raises ValueError for one that is none, or for a frame that the rate does not
    have.
    """
    found = _TIMECODE.fullmatch(timecode)
    if found is None or int(found[4]) >= rate:
        raise ValueError
    hours, minutes, seconds, frames = (int(part) for part in found.groups())
    return ((hours * 60 + minutes) * 60 + seconds) * rate + frames


def timecode(frames: int, rate: int) -> str:
    """The non-drop timecode of a frame count."""
    seconds, rest = divmod(frames, rate)
    return f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}:{rest:02}"


def parse_edl(data: bytes, name: object = "list.edl", rate: int = 0) -> list[CdlEvent]:
    """The events of a list; raises BadLut with the line. ``rate`` 0: the least of 24, 25, 30, 50, 60, 100, 120 that has
    all its frames.

    A line that begins as an event does and is not understood is refused, so that no correction falls on the event
    before.
    """
    if b"\0" in data:
        raise BadLut(name, "this is not a text file, so it is no edit decision list.")
    try:
        lines = data.decode("utf-8-sig").splitlines()
    except UnicodeDecodeError:
        lines = data.decode("latin-1").splitlines()
    if len(lines) > MOST_LINES:
        raise BadLut(name, f"there are more than {MOST_LINES} lines in it.")
    rate = rate or _rate_of(lines)
    events: list[CdlEvent] = []
    for number, line in enumerate(lines, 1):
        text = line.strip()
        if text[:1].isdecimal():
            events.append(_event(text, rate, name, number))
        elif found := _CORRECTION.fullmatch(text):
            if not events:
                raise BadLut(
                    name, f"ASC_{found[1].upper()} stands before the first event, so it belongs to none.", number
                )
            events[-1] = replace(
                events[-1], cdl=_corrected(events[-1].cdl or CdlNode(), found[1].upper(), found[2], name, number)
            )
        elif re.search("ASC_S(OP|AT)", text, re.IGNORECASE):
            raise BadLut(
                name, f"a correction should stand alone after “* ASC_SOP” or “* ASC_SAT”, found “{text[:60]}”.", number
            )
        elif events and (clip := re.match(r"\*\s*FROM CLIP NAME\s*:\s*(.*)", text, re.IGNORECASE)):
            events[-1] = replace(events[-1], clip=clip[1].strip()[:120])
    if not events:
        raise BadLut(name, "no event stands in it (number, reel, track, cut and four timecodes).")
    return events


def _rate_of(lines: Sequence[str]) -> int:
    most = max(
        (
            int(found[4])
            for line in lines
            if line[:1].isdecimal() or line.strip()[:1].isdecimal()
            for found in _TIMECODE.finditer(line)
        ),
        default=0,
    )
    return next((rate for rate in (24, 25, 30, 50, 60, 100, 120) if most < rate), 1000)


def _event(text: str, rate: int, name: object, line: int) -> CdlEvent:
    """An event line, read from both ends: a reel may hold spaces."""
    words = text.split()
    times, head = words[-4:], words[:-4]
    try:
        frames = [frames_of(word, rate) for word in times]
    except ValueError:
        raise BadLut(
            name, f"an event should end in four timecodes of frames below {rate}, found “{' '.join(times)[:60]}”.", line
        ) from None
    if len(head) > 2 and head[-1].isdecimal() and _CUT.fullmatch(head[-2]):
        head = head[:-1]  # the length of a transition
    if (
        len(head) < 4
        or not head[0].isdecimal()
        or len(head[0]) > 6
        or not _CUT.fullmatch(head[-1])
        or not _TRACK.fullmatch(head[-2])
    ):
        raise BadLut(
            name,
            "an event should be number, reel, track (V, A, B …), cut (C, D, W or K) and four timecodes, found "
            f"“{text[:60]}”.",
            line,
        )
    return CdlEvent(int(head[0]), " ".join(head[1:-2])[:120], "", frames[0], frames[1], line=line)


def _corrected(cdl: CdlNode, kind: str, text: str, name: object, line: int) -> CdlNode:
    """A correction with what one comment says of it; commas between numbers are borne, decimal commas are not."""
    try:
        if kind == "SAT":
            (amount,) = _numbers(text)
            return _checked(replace(cdl, saturation=amount), name, line)
        groups = [_numbers(inside) for inside in _GROUP.findall(text)]
        if [len(group) for group in groups] != [3, 3, 3] or _GROUP.sub("", text).strip(" ,"):
            raise ValueError
    except ValueError:
        wanted = "one number" if kind == "SAT" else "three groups of three numbers in brackets"
        raise BadLut(name, f"ASC_{kind} should hold {wanted}, found “{text.strip()[:60]}”.", line) from None
    slope, offset, power = groups
    return _checked(
        CdlNode(
            (slope[0], slope[1], slope[2]),
            (offset[0], offset[1], offset[2]),
            (power[0], power[1], power[2]),
            cdl.saturation,
        ),
        name,
        line,
    )


def _numbers(text: str) -> list[float]:
    values = [read_number(part) for part in re.split(r"\s*,\s*|\s+", text.strip())]
    if not all(math.isfinite(value) for value in values):
        raise ValueError
    return values


def _checked(cdl: CdlNode, name: object, line: int) -> CdlNode:
    if min(cdl.slope) < 0 or min(cdl.power) <= 0 or cdl.saturation < 0:
        raise BadLut(name, "a slope or the saturation is below 0, or a power is not above 0.", line)
    return cdl


def format_edl(title: str, events: Sequence[CdlEvent], rate: int = 24) -> str:
    """The list as text; record timecodes run on from one hour. Numbers have six decimals."""
    lines, record = [f"TITLE: {' '.join(title.split())[:70]}", "FCM: NON-DROP FRAME", ""], 3600 * rate
    for number, event in enumerate(events, 1):
        reel = re.sub(r"[^A-Za-z0-9_]", "_", event.reel)[:32] or "AX"
        length = max(event.source_out - event.source_in, 1)
        times = [timecode(f, rate) for f in (event.source_in, event.source_in + length, record, record + length)]
        lines.append(f"{number:03}  {reel:<8} V     C        {' '.join(times)}")
        lines.append(f"* FROM CLIP NAME: {' '.join(event.clip.split())}")
        if event.cdl is not None:
            groups = "".join(
                "(" + " ".join(f"{v:.6f}" for v in triple) + ")"
                for triple in (event.cdl.slope, event.cdl.offset, event.cdl.power)
            )
            lines += [f"* ASC_SOP {groups}", f"* ASC_SAT {event.cdl.saturation:.6f}"]
        record += length
    return "\n".join(lines) + "\n"
