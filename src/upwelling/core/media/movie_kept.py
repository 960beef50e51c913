"""Indexes of movies, kept in memory and on disk by the content they were made of."""

from __future__ import annotations

import hashlib
import os
import threading
import time
from collections import OrderedDict
from dataclasses import fields
from pathlib import Path as FilePath
from typing import Any

import numpy as np

from upwelling.core.files import whole_file
from upwelling.core.media.movie_index import Index
from upwelling.core.media.movie_indexing import made

VERSION = 2
MOST_FILES = 2000
"""Indexes kept on disk; the oldest go."""
KEPT, KEPT_FROM = 64, 0.1
"""How many indexes are held in memory, and how many seconds one must take to be worth a file."""
_kept: OrderedDict[str, Index] = OrderedDict()
_lock = threading.Lock()


def index_of(path: FilePath) -> Index:
    """The index of a movie's first video stream, made or found; raises UnreadableFile."""
    name = content_mark(path)
    with _lock:
        if name in _kept:
            _kept.move_to_end(name)
            return _kept[name]
    place = _folder() / f"{name}.npz"
    index = _read(place)
    if index is None:
        began = time.monotonic()
        index = made(path)
        if time.monotonic() - began > KEPT_FROM:
            _write(place, index)
    with _lock:
        _kept[name] = index
        while len(_kept) > KEPT:
            _kept.popitem(last=False)
    return index


def content_mark(path: FilePath) -> str:
    """A mark of a file's content: its size, time of change, both ends and sixteen places between."""
    stat = path.stat()
    digest = hashlib.blake2b(f"{VERSION} {stat.st_size} {stat.st_mtime_ns}".encode(), digest_size=16)
    with path.open("rb") as stream:
        for place in (0, *(stat.st_size * i // 17 for i in range(1, 17)), max(0, stat.st_size - 2**18)):
            stream.seek(place)
            digest.update(stream.read(2**18 if place in (0, stat.st_size - 2**18) else 2**14))
    return digest.hexdigest()


def _folder() -> FilePath:
    return FilePath(os.environ.get("UPWELLING_INDEX_CACHE") or FilePath.home() / ".cache" / "upwelling" / "indexes")


def _read(place: FilePath) -> Index | None:
    try:
        with np.load(place, allow_pickle=False) as found:
            flags: dict[str, Any] = {
                "counted": bool(found["counted"]),
                "by_decoding": bool(found["by_decoding"]),
                "lost": int(found["lost"]),
                "missing": int(found["missing"]),
                "summed": bool(found["summed"]),
            }
            return Index(**{f.name: flags[f.name] if f.name in flags else found[f.name] for f in fields(Index)})
    except (OSError, ValueError, KeyError, EOFError):
        return None  # not there, or not whole: it is made again


def _write(place: FilePath, index: Index) -> None:
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        with whole_file(place) as temporary, temporary.open("wb") as stream:
            np.savez(stream, **{f.name: getattr(index, f.name) for f in fields(Index)})
        files = sorted(place.parent.glob("*.npz"), key=lambda one: one.stat().st_mtime)
        for old in files[:-MOST_FILES]:
            old.unlink(missing_ok=True)
    except OSError:
        pass  # a folder that cannot be written costs time, nothing else
