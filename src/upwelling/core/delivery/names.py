"""What delivered files are called: numbered stills, versions, and patterns of names."""

from __future__ import annotations

import re
from collections.abc import Mapping
from pathlib import Path as FilePath

from upwelling.core.delivery.form import Form
from upwelling.core.errors import BadValue

NUMBER_DIGITS = 7
_HASHES = re.compile(r"#+|%0(\d)d")
_FIELD = re.compile(r"\{([a-z]+)\}")
_FORBIDDEN = re.compile(r'[\\/:*?"<>|\x00-\x1f]+')
LONGEST_NAME = 200
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


def named_by(pattern: str, fields: Mapping[str, str], form: Form, *, plain: bool = False) -> str:
    """A file name by a pattern such as “{shot}_{output}”; characters that file systems refuse become “-”.
    ``plain``: without spaces, commas and brackets, which programs stumble over.

    Raises BadValue for a field that is not known, or where nothing is left.
    """
    for name in _FIELD.findall(pattern):
        if name not in FIELDS:
            known = ", ".join(f"{{{field}}}" for field in FIELDS)
            raise BadValue(f"“{{{name}}}” is no part of a name; use {known}.")
    made = _FIELD.sub(lambda found: fields.get(found[1], ""), pattern)
    made = _FORBIDDEN.sub("-", " ".join(made.split())).strip(" .-_")
    made = re.sub(r"([_-])\1+", r"\1", made)
    if plain:
        made = re.sub(r"[\s,;()\[\]'_]+", "_", made).strip("_")
    if not made:
        raise BadValue("The pattern leaves no name. Write one with {shot} or {file} in it.")
    return made.encode()[:LONGEST_NAME].decode("utf-8", "ignore") + form.ending


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
