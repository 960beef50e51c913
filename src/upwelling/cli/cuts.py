"""The command that reads an editor's cut and says which files its events are of."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path as FilePath
from typing import TYPE_CHECKING, Any

from upwelling.core.count_of import count_of
from upwelling.core.errors import BadValue

if TYPE_CHECKING:
    from upwelling.core.cut import FoundEvent


def add_commands(commands: Any) -> None:
    """Declares cut."""
    cut = commands.add_parser("cut", help="say what the events of an edit list are of: files, ranges, what is missing")
    cut.add_argument("list", metavar="FILE", help="a CMX 3600 edit list (.edl) or an OpenTimelineIO file (.otio)")
    cut.add_argument("--media", required=True, metavar="FOLDER", help="where the footage lies")
    cut.add_argument("--rate", type=float, default=0.0, metavar="FPS", help="the edit list's frames a second")
    cut.add_argument("--json", action="store_true")
    cut.set_defaults(run=_cut)


def _cut(options: argparse.Namespace) -> int:
    """0 where every event is found, 1 where one is not, 2 where the list cannot be read."""
    from upwelling.core.cut import (  # what reads lists is slow to load, and only this needs it
        SETTLED,
        match_cut,
        read_cut,
        scan,
    )

    if not FilePath(options.media).is_dir():
        raise BadValue(f"{options.media} is no folder.")
    if options.rate < 0 or options.rate > 1000:
        raise BadValue(f"--rate {options.rate:g}: frames a second are between 1 and 1000.")
    cut = read_cut(options.list, options.rate)
    media, problems = scan(options.media)
    found = match_cut(cut, media)
    for problem in problems:
        sys.stderr.write(f"upwelling: note: {problem}\n")
    if options.json:
        body = {"title": cut.title, "rate": cut.rate, "drop": cut.drop, "notes": list(cut.notes)}
        rows = {"events": [_as_json(one) for one in found]}
        sys.stdout.write(json.dumps(body | rows, ensure_ascii=False, indent=2) + "\n")
    else:
        _say(cut.title, cut.notes, found)
    return 0 if all(one.state in SETTLED for one in found) else 1


def _as_json(one: FoundEvent) -> dict[str, Any]:
    event = one.event
    return {
        "number": event.number,
        "name": event.name,
        "reel": event.reel,
        "source": event.label(event.start),
        "frames": event.frames,
        "record": event.label(event.record),
        "record_frames": event.record_frames,
        "rate": event.rate,
        "speed": event.speed,
        "transition": event.transition,
        "cdl": event.cdl is not None,
        "state": one.state,
        "said": one.summary,
        "file": str(one.media[0].path) if one.state == "found" else None,
        "first": one.first,
        "notes": list(event.notes),
    }


def _say(title: str, notes: tuple[str, ...], found: list[FoundEvent]) -> None:
    from upwelling.core.cut.match import SAID, counted

    parts = [f"{count} {SAID[state]}" for state, count in counted(found).items()]
    print(f"{title or 'Cut'}: {count_of(len(found), 'event')}, {', '.join(parts)}")
    for note in notes:
        print(f"  {note}")
    for one in found:
        event = one.event
        begins, ends = event.label(event.start), event.label(event.start + event.frames)
        where = (
            f"{one.media[0].path} from frame {one.first}"
            if one.state == "found"
            else ("black" if one.state == "black" else f"▲ {one.summary}")
        )
        print(f"{event.number:4}  {event.label(event.record)}  {begins}–{ends}  {event.name or event.reel}: {where}")
        if event.speed != 1:
            print(
                f"      plays at {event.speed * 100:.0f} % speed" if event.speed else "      stands still on one frame"
            )
        for text in (*((f"begins with a {event.transition}",) if event.transition else ()), *event.notes):
            print(f"      {text}")
        if event.cdl is not None:
            print("      carries an ASC CDL")
