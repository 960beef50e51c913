"""What a recipe says beside the path itself: its version, the arithmetic it was written under,
and what came with each.
"""

from __future__ import annotations

from typing import Any

from upwelling.core.documents import read_versioned
from upwelling.core.errors import RecipeError

RECIPE_VERSION = 5
"""2: mattes; 3: a camera's correction; 4: a Look of the display; 5: layers in a row, trim and look among them. Each
reads those before it as they are.
"""
ARITHMETIC = 3
"""Raised whenever the same recipe would give other numbers; part of every fingerprint and recipe."""
CHANGES = {
    3: "the default rendering and the smooth gamut fit compute anew: no jumps, softer highlights, another dark end on "
    "HDR outputs"
}
"""What came with each arithmetic."""


def recipe_arithmetic(text: str | bytes) -> int:
    """The arithmetic a recipe was written under; those from before it was written down count as 2.

    Raises RecipeError.
    """
    found = read_versioned(text, "upwelling_recipe", "a recipe", RECIPE_VERSION).get("arithmetic", 2)
    if not isinstance(found, int) or not 1 <= found <= ARITHMETIC:
        raise RecipeError(
            f"arithmetic {found!r} is not known here; this program computes as of {ARITHMETIC}. Update the program."
        )
    return found


def changed_since(arithmetic: int) -> str:
    """What makes the numbers of settings from an earlier arithmetic others now, as part of a sentence; empty where
    nothing does.
    """
    return "; ".join(words for since, words in CHANGES.items() if since > arithmetic)


def without_tables(body: Any) -> Any:
    """Plain data in which each carried table is only its digest, which says all: for fingerprints."""
    if isinstance(body, dict):
        if "digest" in body and "file_sha256" in body:
            return body["digest"]
        return {key: without_tables(value) for key, value in body.items()}
    return [without_tables(value) for value in body] if isinstance(body, list) else body
