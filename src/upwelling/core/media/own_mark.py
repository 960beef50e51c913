"""What Upwelling writes into its own pictures of the codes they hold, in words that any program shows and this one
reads back.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

MARK = "Upwelling"
_WORDS = re.compile(r"Upwelling: (?P<range>full|legal) range codes of (?P<encoding>[^;]{1,80});")


def words_for(tags: Mapping[str, Any]) -> str:
    """“Upwelling: full range codes of S-Log3/S-Gamut3.Cine;” for what is known of a picture, else nothing."""
    encoding = str(tags.get("encoding", "")).replace(";", ",")
    return f"{MARK}: {tags.get('range', 'full')} range codes of {encoding};" if encoding else ""


def said_by(text: str) -> dict[str, str]:
    """The encoding and range in such words, as metadata."""
    found = _WORDS.search(text)
    return {"written encoding": found["encoding"], "written range": found["range"]} if found else {}
