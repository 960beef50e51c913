"""The directories of a TIFF, walked before any library makes objects of them: no circles, no counts without bytes.

Source: TIFF 6.0 (1992), section 2, and the BigTIFF proposal, for the layout; SubIFDs: TIFF Technical Note 1 (1995).
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from pathlib import Path as FilePath
from typing import BinaryIO

from upwelling.core.count_of import count_of
from upwelling.core.errors import UnreadableFile

MOST_DIRECTORIES, MOST_ENTRIES = 4096, 4096
_SIZES = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8, 13: 4, 16: 8, 17: 8, 18: 8}
_SUB_DIRECTORIES = (330, 34665, 34853, 40965)
_WIDTH, _HEIGHT, _ROWS, _TILE_WIDTH, _TILE_HEIGHT = 256, 257, 278, 322, 323


@dataclass(frozen=True)
class _Form:
    """How numbers stand in the file."""

    order: str
    big: bool

    @property
    def offset(self) -> str:
        return self.order + ("Q" if self.big else "I")

    @property
    def count(self) -> str:
        return self.order + ("Q" if self.big else "H")

    @property
    def entry(self) -> str:
        return self.order + ("HHQ8s" if self.big else "HHI4s")


def check_layout(path: FilePath) -> None:
    """Raises UnreadableFile for directories in a circle, more than any file has, or values that cannot be there."""
    size = path.stat().st_size
    with path.open("rb") as stream:
        head = stream.read(16)
        form = _Form("<" if head[:2] == b"II" else ">", head[2:4] in (b"+\0", b"\0+"))
        start = 8 if form.big else 4
        todo = [_number(path, form.offset, head[start : start + struct.calcsize(form.offset)])]
        seen: set[int] = set()
        while todo:
            at = todo.pop()
            if not at:
                continue
            if at in seen:
                raise UnreadableFile(path, "its directories lead back to each other; it is damaged, or made to stall.")
            seen.add(at)
            if len(seen) > MOST_DIRECTORIES:
                raise UnreadableFile(path, f"holds more than {MOST_DIRECTORIES} pictures. Hand the one wanted in.")
            todo += _directory(path, stream, form, at, size)


def _number(path: FilePath, form: str, data: bytes) -> int:
    if len(data) < struct.calcsize(form):
        raise UnreadableFile(path, "the file is cut short. Copy it again from the source.")
    return int(struct.unpack(form, data)[0])


def _directory(path: FilePath, stream: BinaryIO, form: _Form, at: int, size: int) -> list[int]:
    """The places of the directories that one leads to."""
    stream.seek(at)
    count = _number(path, form.count, stream.read(struct.calcsize(form.count)))
    if count > MOST_ENTRIES:
        raise UnreadableFile(path, f"a directory of it says that it has {count} entries; it is damaged.")
    length = struct.calcsize(form.entry)
    entries = stream.read(length * count)
    following = stream.read(struct.calcsize(form.offset))
    leads = [_number(path, form.offset, following)] if len(following) == struct.calcsize(form.offset) else []
    single: dict[int, int] = {}
    for position in range(0, len(entries) - length + 1, length):
        tag, kind, values, inline = struct.unpack(form.entry, entries[position : position + length])
        room = values * _SIZES.get(kind, 1)
        if room > size:
            raise UnreadableFile(
                path, f"entry {tag} of it promises {values:,} values, more than the file holds.".replace(",", " ")
            )
        if values == 1 and kind in (3, 4):
            single[tag] = _number(path, form.order + ("H" if kind == 3 else "I"), inline[: 2 if kind == 3 else 4])
        if tag in _SUB_DIRECTORIES and kind in (4, 13, 16, 18):
            leads += _places(path, stream, form, kind, values, inline, room)
    _check_parts(path, single, size)
    return leads


def _places(
    path: FilePath, stream: BinaryIO, form: _Form, kind: int, values: int, inline: bytes, room: int
) -> list[int]:
    if values > MOST_DIRECTORIES:
        raise UnreadableFile(path, f"holds {count_of(values, 'picture')} below one. Hand the one wanted in.")
    if room > len(inline):
        stream.seek(_number(path, form.offset, inline))
        inline = stream.read(room)
    one = form.order + ("Q" if kind in (16, 18) else "I")
    step = struct.calcsize(one)
    return [_number(path, one, inline[n * step : (n + 1) * step]) for n in range(values)]


def _check_parts(path: FilePath, tags: dict[int, int], size: int) -> None:
    """Every strip or tile takes a byte at least."""
    width, height = tags.get(_WIDTH, 0), tags.get(_HEIGHT, 0)
    if _TILE_WIDTH in tags and _TILE_HEIGHT in tags:
        across, down = max(tags[_TILE_WIDTH], 1), max(tags[_TILE_HEIGHT], 1)
        parts = -(-width // across) * -(-height // down)
    else:
        parts = -(-height // max(tags.get(_ROWS, height), 1))
    if parts > size:
        raise UnreadableFile(path, f"its picture is in {parts:,} parts, more than it has bytes.".replace(",", " "))
