"""Tables inside stored JSON, kept once by their hash: five hundred bakes of a Look name its table, one row holds it."""

from __future__ import annotations

import hashlib
from functools import lru_cache
from typing import Any

from django.db import models

SHORTEST = 4096
"""Characters below which a text stays where it is."""
KEY, NAMED = "data", "kept:"


class KeptText(models.Model):
    """A table as it stands in stored JSON, by its SHA-256."""

    digest = models.CharField(max_length=64, primary_key=True)
    text = models.TextField()

    def __str__(self) -> str:
        return self.digest


def put_away(body: Any) -> Any:
    """The JSON with its long ``data`` texts kept apart and named by their SHA-256."""
    if isinstance(body, list):
        return [put_away(inner) for inner in body]
    if not isinstance(body, dict):
        return body
    return {key: _kept(inner) if key == KEY and _is_long(inner) else put_away(inner) for key, inner in body.items()}


def _is_long(value: Any) -> bool:
    return isinstance(value, str) and len(value) >= SHORTEST and not value.startswith(NAMED)


def _kept(text: str) -> str:
    digest = hashlib.sha256(text.encode()).hexdigest()
    KeptText.objects.get_or_create(digest=digest, defaults={"text": text})
    return NAMED + digest


def brought_back(body: Any) -> Any:
    """The JSON as it was."""
    if isinstance(body, list):
        return [brought_back(inner) for inner in body]
    if not isinstance(body, dict):
        return body
    return {
        key: _text(inner.removeprefix(NAMED))
        if key == KEY and isinstance(inner, str) and inner.startswith(NAMED)
        else brought_back(inner)
        for key, inner in body.items()
    }


@lru_cache(maxsize=16)
def _text(digest: str) -> str:
    return KeptText.objects.values_list("text", flat=True).get(digest=digest)
