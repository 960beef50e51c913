"""The outside of every file of settings: a JSON object with a version under a key of its own."""

from __future__ import annotations

import json
from typing import Any

from upwelling.core.errors import RecipeError


def read_versioned(text: str | bytes, key: str, kind: str, version: int) -> dict[str, Any]:
    """The object without its version; raises RecipeError when it is no JSON, not of this kind (“a recipe”), or of another version."""
    try:
        body = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise RecipeError(f"this is not JSON ({str(error)[:120]}).") from None
    if not isinstance(body, dict) or key not in body:
        raise RecipeError(f"“{key}” is missing, so this is not {kind}.")
    found = body.pop(key)
    if found != version:
        raise RecipeError(f"version {found!r} is not known here; this program reads version {version}.")
    return body
