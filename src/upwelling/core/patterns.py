"""Names of files by patterns such as “{shot}_{output}”."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping

from upwelling.core.errors import BadValue

_FIELD = re.compile(r"\{([a-z]+)\}")
_FORBIDDEN = re.compile(r'[\\/:*?"<>|\x00-\x1f]+')
LONGEST_NAME = 200


def named_by(pattern: str, fields: Mapping[str, str], known: Mapping[str, str], *, plain: bool = False) -> str:
    """A file name without an ending; characters that file systems refuse become “-”. ``known``: what each field that
    a pattern may have is. ``plain``: without spaces, commas and brackets, which programs stumble over.

    Raises BadValue for a field that is not known, or where nothing is left.
    """
    for name in _FIELD.findall(pattern):
        if name not in known:
            listed = ", ".join(f"{{{field}}}" for field in known)
            raise BadValue(f"“{{{name}}}” is no part of a name; use {listed}.")
    made = _FIELD.sub(lambda found: fields.get(found[1], ""), pattern)
    made = _FORBIDDEN.sub("-", " ".join(made.split())).strip(" .-_")
    made = re.sub(r"([_-])\1+", r"\1", made)
    if plain:
        made = re.sub(r"[\s,;()\[\]'_]+", "_", made).strip("_")
    if not made:
        some = " or ".join(f"{{{field}}}" for field in list(known)[1:3])
        raise BadValue(f"The pattern leaves no name. Write one with {some} in it.")
    return made.encode()[:LONGEST_NAME].decode("utf-8", "ignore")


def plain_name(*parts: str) -> str:
    """A file name without an ending of ASCII letters, digits, points and hyphens, the parts joined by “_”."""
    words = (unicodedata.normalize("NFKD", part).encode("ascii", "ignore").decode() for part in parts)
    return "_".join(re.sub(r"[^A-Za-z0-9.]+", "-", word).strip("-.")[:48] or "x" for word in words)
