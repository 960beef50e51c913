"""What was read a moment ago and still stands: kept for a thread for as long as its database says that nothing changed.

A hand that moves asks for twenty pictures a second, each with the same session, person, production and shot. SQLite
counts what other connections committed (``data_version``) and what this one wrote (``total_changes``); while neither
moves, what was read is what would be read. Within a transaction nothing is kept, as it may be taken back.
"""

from __future__ import annotations

import copy
import threading
from collections.abc import Callable
from pathlib import Path as FilePath
from typing import Any, TypeVar, cast

from django.core.signals import request_started
from django.db import connection

T = TypeVar("T")
MOST = 64
"""Things kept a thread; one more and all are read again."""
_here = threading.local()


def standing(key: tuple[Any, ...], read: Callable[[], T]) -> T:
    """What ``read`` gives, or gave before under ``key``: a copy each time, so that what a view sets in it is its own.
    What lies deeper is shared: for views that only look.

    What depends on the time as well is for the caller to check. Errors are passed on and not kept.
    """
    if connection.in_atomic_block or connection.vendor != "sqlite":
        return read()
    now, kept = _state(), _here.__dict__
    if kept.get("state") != now or len(kept["found"]) >= MOST:
        kept["state"], kept["found"] = now, {}
    found = kept["found"]
    if key not in found:
        found[key] = read()
    return cast("T", copy.copy(found[key]))


def _state() -> tuple[Any, int, int]:
    """The connection, and what it knows of changes by others and by itself."""
    connection.ensure_connection()
    raw = connection.connection
    return raw, raw.execute("PRAGMA data_version").fetchone()[0], raw.total_changes


def _leave_a_replaced_file(**_: Any) -> None:
    """A connection outlives its request; one to a database file that was moved away or replaced meanwhile is closed."""
    if connection.connection is None or connection.in_atomic_block:
        return
    try:
        status = FilePath(connection.settings_dict["NAME"]).stat()
        file: tuple[int, int] | None = (status.st_dev, status.st_ino)
    except (OSError, TypeError):
        file = None
    kept = _here.__dict__
    if kept.get("connection") is not connection.connection:
        kept["connection"], kept["file"] = connection.connection, file
    elif kept["file"] != file:
        connection.close()


request_started.connect(_leave_a_replaced_file)
