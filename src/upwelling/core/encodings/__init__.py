"""Encodings: one family a file. ``ENCODINGS`` is the explicit list of members by name."""

from __future__ import annotations

from upwelling.core.encodings import camera, video, working
from upwelling.core.encodings.base import Encoding, Range, full_to_legal, legal_to_full
from upwelling.core.errors import UnknownName

FAMILIES = (camera, working, video)


def _collect() -> dict[str, Encoding]:
    members: dict[str, Encoding] = {}
    for family in FAMILIES:
        for member in family.ENCODINGS:
            if member.name in members:
                raise TypeError(f"Two encodings are named {member.name}.")
            members[member.name] = member
    return members


ENCODINGS: dict[str, Encoding] = _collect()
_BY_LOWER = {name.lower(): member for name, member in ENCODINGS.items()}


def encoding(name: str) -> Encoding:
    """The encoding of that name, matched without regard to case; raises UnknownName."""
    try:
        return _BY_LOWER[name.strip().lower()]
    except KeyError:
        raise UnknownName("encoding", name, list(ENCODINGS)) from None


__all__ = ["ENCODINGS", "Encoding", "Range", "encoding", "full_to_legal", "legal_to_full"]
