"""Frames too large for the store in memory: decoded once, kept on disk and mapped; and decoding in turn."""

from __future__ import annotations

import hashlib
import os
import shutil
import threading
from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path as FilePath

import numpy as np
from django.conf import settings

from upwelling.core.files import whole_file
from upwelling.core.media import Still

ALONE = 20_000_000
"""Pixels above which frames are decoded one at a time: each may take a gigabyte while it is."""
_alone = threading.Lock()
_locks: dict[Hashable, tuple[threading.Lock, int]] = {}
_guard = threading.Lock()


@contextmanager
def one_at_a_time(key: Hashable, pixels: int) -> Iterator[None]:
    """Whoever wants the same frame waits for the first; large frames wait for each other."""
    with _guard:
        lock, waiting = _locks.get(key, (threading.Lock(), 0))
        _locks[key] = lock, waiting + 1
    try:
        with lock:
            if pixels > ALONE:
                with _alone:
                    yield
            else:
                yield
    finally:
        with _guard:
            lock, waiting = _locks.pop(key)
            if waiting > 1:
                _locks[key] = lock, waiting - 1


def folder() -> FilePath:
    """Where the codes of large frames lie."""
    return FilePath(settings.FILES) / "working"


def on_disk(digest: str, what: str, alike: Still, decode: Callable[[], Still]) -> Still:
    """A still whose codes are mapped from disk, decoded when they are not there; where the disk has no room, from
    memory. ``alike`` is what is known of it without decoding.
    """
    name = f"{digest[:24]}-{hashlib.sha256(what.encode()).hexdigest()[:16]}.npy"
    place = folder() / digest[:2] / name
    if not place.exists():
        still = decode()
        if shutil.disk_usage(settings.DATA).free < still.code.nbytes + settings.DISK_RESERVE:
            return still
        place.parent.mkdir(parents=True, exist_ok=True)
        _make_room(still.code.nbytes)
        with whole_file(place) as temporary, temporary.open("wb") as stream:
            np.save(stream, still.code)
    os.utime(place)
    return replace(alike, code=np.load(place, mmap_mode="r"))


def _make_room(size: int) -> None:
    """Lets go of what was used longest ago."""
    kept = sorted(((p.stat().st_mtime, p.stat().st_size, p) for p in folder().rglob("*.npy")), reverse=True)
    total = size
    for _, bytes_of, place in kept:
        total += bytes_of
        if total > settings.WORKING_DISK:
            place.unlink(missing_ok=True)
