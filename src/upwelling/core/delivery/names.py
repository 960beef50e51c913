"""What delivered files are called: numbered stills, versions, and what a pattern may name."""

from __future__ import annotations

import re
from pathlib import Path as FilePath

NUMBER_DIGITS = 7
_HASHES = re.compile(r"#+|%0(\d)d")
FIELDS = {
    "production": "the production's name",
    "shot": "the shot's name",
    "file": "the source file's name without its ending",
    "reel": "the reel, where the source says one",
    "event": "the event's number in the cut",
    "cut": "the cut's name",
    "output": "the output or encoding",
    "preset": "the preset",
    "date": "the day, as 2026-11-26",
}

FOLDER_FIELDS = {name: FIELDS[name] for name in ("production", "output", "preset", "cut", "date")}
"""What of it is the same for all files of an order, and so may stand in a folder's name."""


def still_name(target: FilePath, number: int, alone: bool) -> FilePath:
    """The file of one frame: “#” or “%04d” in the name is the number, else it goes before the ending; a lone frame
    without either keeps the name.
    """
    found = _HASHES.search(target.name)
    if found:
        digits = int(found[1]) if found[1] else len(found[0])
        return target.with_name(f"{target.name[: found.start()]}{number:0{digits}}{target.name[found.end() :]}")
    if alone:
        return target
    return target.with_name(f"{target.stem}.{number:0{NUMBER_DIGITS}}{target.suffix}")


def next_version(target: FilePath) -> FilePath:
    """The name itself, or with _v2, _v3 … where it is taken."""
    number, found = 1, target
    while is_taken(found):
        number += 1
        found = target.with_name(f"{target.stem}_v{number}{target.suffix}")
    return found


def is_taken(target: FilePath) -> bool:
    """Whether a file, or a numbered one of that name, lies there."""
    if target.exists():
        return True
    found = _HASHES.search(target.name)
    head, tail = (
        (target.name[: found.start()], target.name[found.end() :]) if found else (f"{target.stem}.", target.suffix)
    )
    middle = re.compile(re.escape(head) + r"\d{1,9}" + re.escape(tail))
    return target.parent.is_dir() and any(middle.fullmatch(one.name) for one in target.parent.iterdir())
