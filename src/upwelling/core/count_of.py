"""How many of a thing, in words that agree: 1 file, 2 files."""

from __future__ import annotations


def count_of(count: int, one: str, several: str = "") -> str:
    """``count`` and the word for it; ``several`` where the plural is not made by an s."""
    return f"{count} {one if count == 1 else several or one + 's'}"
