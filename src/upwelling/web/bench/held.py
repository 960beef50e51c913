"""A shot as the last still of its page found it, for the previews of a hand that moves: with its production, rules and
Looks read once. Access is checked and the rows of shot, camera and production are compared each time, and every
still reads all of it afresh.
"""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from typing import Any

from django.db.models import Model

from upwelling.web.footage.models import Shot

KEPT_FOR = 2.0
"""Seconds after which what others may have changed is read again."""
_MOST = 64
_held: OrderedDict[tuple[int, int], tuple[float, Shot]] = OrderedDict()
_lock = threading.Lock()


def _same(kept: Shot, fresh: Shot) -> bool:
    """Whether the rows that were read anew say what those that are kept said."""
    pairs = ((kept, fresh), (kept.production, fresh.production), (kept.camera, fresh.camera))
    return all(_fields(one) == _fields(other) for one, other in pairs)


def _fields(row: Model | None) -> dict[str, Any]:
    return (
        {} if row is None else {field.attname: row.__dict__.get(field.attname) for field in row._meta.concrete_fields}
    )


def held(shot: Shot, *, moving: bool) -> Shot:
    """The shot itself for a still; while a hand moves, the one that was read for it a moment ago, in the same state."""
    now, key = time.monotonic(), (shot.pk, shot.version)
    with _lock:
        until, kept = _held.get(key, (0.0, shot))
        if moving and now < until and _same(kept, shot):
            return kept
        _held[key] = (now + KEPT_FOR, shot)
        _held.move_to_end(key)
        while len(_held) > _MOST:
            _held.popitem(last=False)
    return shot
