"""Numbers in text files, as the formats have them: nothing that only this program's own language would read."""

from __future__ import annotations

import re

_NUMBER = re.compile(r"[+-]?(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[eE][+-]?[0-9]+)?")
_WHOLE = re.compile(r"\+?[0-9]+")


def number(text: str) -> float:
    """A decimal number with a dot, or what stands for one that is not finite; raises ValueError for anything else,
    “1_0” among it.
    """
    if _NUMBER.fullmatch(text) is None and text.lower().lstrip("+-") not in ("nan", "inf", "infinity"):
        raise ValueError
    return float(text)


def whole(text: str) -> int:
    """A whole number without sign or with a plus; raises ValueError for anything else."""
    if _WHOLE.fullmatch(text.strip()) is None:
        raise ValueError
    return int(text)
