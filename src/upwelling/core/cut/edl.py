"""The text of a CMX 3600 edit list, made plain for the adapter that reads it, in time that goes with its length.

What the adapter passes over in silence is taken out of the text here: changes of speed (M2), drop frame written with
colons, transitions on an event's only line.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from upwelling.core.count_of import count_of

LONGEST_LINE, MOST_LINES = 4096, 200_000
RATES = (24, 25, 30, 48, 50, 60, 100, 120)
_LABEL = re.compile(r"(\d\d:\d\d:\d\d)([:;.])(\d{2,3})")
_MEANT = re.compile(r"FROM CLIP|TO CLIP|FROM FILE|SOURCE FILE|ASC_S|FREEZE FRAME|OTIO REFERENCE", re.IGNORECASE)
"""Comments that anything is read from; the others are left out, as the adapter's time goes with the square of lines."""
_KINDS = {"D": "dissolve", "W": "wipe", "K": "key"}


class BadText(ValueError):
    """Why a text is no edit list."""


@dataclass
class EventWords:
    """What an event's own lines say: its source's length as a count of labels, frames a second of an M2 line, and how
    it begins where that is no cut.
    """

    labels: tuple[str, ...] = ()
    speed: float | None = None
    transition: str = ""


@dataclass
class EdlText:
    """An edit list as the adapter is given it. ``said`` is by source and record label where an event begins."""

    lines: list[str] = field(default_factory=list)
    drop: bool = False
    most_frames: int = 0
    said: dict[tuple[str, str], EventWords] = field(default_factory=dict)

    @property
    def least_rate(self) -> float:
        """The least usual rate that has all the frames its labels count."""
        return float(next((rate for rate in RATES if self.most_frames < rate), RATES[-1]))

    def shown(self) -> str:
        """The text, labels with the mark that their counting has."""
        return "\n".join(self.lines)


def plain_label(label: str) -> str:
    """A label with colons only, as events are known by."""
    return label.replace(";", ":").replace(".", ":")


def read_text(text: str) -> EdlText:
    """Raises BadText for what no list has: lines longer than any, or more of them than can be."""
    made, events, now = EdlText(), 0, EventWords()
    lines = [line.strip() for line in text.splitlines()]
    lines = [line for line in lines if line and (not line.startswith("*") or _MEANT.search(line[:200]))]
    if len(lines) > MOST_LINES:
        raise BadText(f"holds more than {MOST_LINES} lines of events")
    made.drop = any(re.match(r"FCM:\s*DROP", line, re.IGNORECASE) for line in lines)
    for index, line in enumerate(lines):
        if len(line) > LONGEST_LINE:
            raise BadText(f"has a line of more than {LONGEST_LINE} characters, which no edit list has")
        if line[:1].isdecimal():
            events += 1
            now = EventWords()
            number = line.split(None, 1)[0]
            follows = index + 1 < len(lines) and lines[index + 1].split(None, 1)[0] == number
            before = bool(events > 1 and made.lines and made.lines[-1].split(None, 1)[0] == number)
            made.lines.append(_event(made, line, now, alone=not (follows or before)))
        elif line[:2].upper() == "M2" and line[2:3].isspace():
            made.lines += _speed(line, now)
        else:
            made.lines.append(line)
    return made


def _event(made: EdlText, line: str, now: EventWords, *, alone: bool) -> str:
    """An event's line; a transition that has no line of its own is taken from it, as the adapter would lose the
    clip.
    """
    words = line.split()
    labels = [word for word in words if _LABEL.fullmatch(word)]
    if len(labels) == 4:
        now.labels = tuple(plain_label(label) for label in labels)
        made.said[(now.labels[0], now.labels[2])] = now
        made.most_frames = max(made.most_frames, *(int(label.rsplit(":", 1)[1]) for label in now.labels))
    if len(words) > 4 and alone and words[3] not in ("C", "c") and words[4].isdecimal():
        kind = _KINDS.get(words[3][:1].upper())
        if kind:
            now.transition = f"{kind}, {count_of(int(words[4]), 'frame')}"
            words[3:5] = ["C"]
    mark = ";" if made.drop else ":"
    return " ".join(_LABEL.sub(lambda found: f"{found[1]}{mark}{found[3]}", word) for word in words)


def _speed(line: str, now: EventWords) -> list[str]:
    """An M2 line, written as the adapter reads it; nothing where it names no speed."""
    words = line.split()
    if len(words) < 3 or not _LABEL.fullmatch(words[-1]):
        return []
    try:
        now.speed = float(words[-2])
    except ValueError:
        return []
    return [f"M2 {' '.join(words[1:-2])[:40]} {words[-2]} {plain_label(words[-1])}"]
