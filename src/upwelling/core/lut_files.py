"""Files of lookup tables: which formats there are, what each can hold, and reading and writing by a file's ending."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

from upwelling.core.errors import BadLut, UnwritableFile
from upwelling.core.files import whole_file
from upwelling.core.lut import Lut, Lut1D, Lut3D
from upwelling.core.lut.formats.clf import format_clf, parse_clf
from upwelling.core.lut.formats.cube import format_cube, parse_cube
from upwelling.core.lut.process import ProcessList, TableNode
from upwelling.core.media.hald import hald_bytes, read_hald

LARGEST_FILE = 700_000_000
FormatName = Literal["cube", "clf", "hald"]


@dataclass(frozen=True)
class LutFormat:
    """One format: its file ending, a sentence, whether it holds a shaper before a cube, and how it is read and written."""

    name: FormatName
    title: str
    ending: str
    about: str
    shaper: bool
    read: Callable[[Path], Lut]
    encode: Callable[[Any], bytes]


def _read_bytes(path: Path) -> bytes:
    try:
        if path.stat().st_size > LARGEST_FILE:
            raise BadLut(path, "the file is larger than any table may be.")
        return path.read_bytes()
    except OSError as error:
        raise BadLut(path, f"cannot be read ({error.strerror}).") from None


def _cube_bytes(lut: Lut) -> bytes:
    if isinstance(lut, ProcessList):
        raise BadLut("table.cube", "a .cube file holds one table; process nodes need the Common LUT Format (.clf).")
    return format_cube(lut).encode()


def _clf_bytes(lut: Lut) -> bytes:
    if isinstance(lut, ProcessList):
        return format_clf(lut).encode()
    if not lut.domain.is_unit:
        raise BadLut("table.clf", "a table with a domain of its own needs a Range node before it.")
    return format_clf(ProcessList((TableNode(lut),), lut.title, lut.comments)).encode()


FORMATS: dict[str, LutFormat] = {f.name: f for f in (
    LutFormat("cube", ".cube", ".cube", "one table, 1D or 3D, as text", False, lambda p: parse_cube(_read_bytes(p), p), _cube_bytes),
    LutFormat("clf", "Common LUT Format", ".clf", "process nodes: formulas where the path is one, a shaper and a cube where it is not", True,
              lambda p: parse_clf(_read_bytes(p), p), _clf_bytes),
    LutFormat("hald", "Hald image", ".png", "a cube as a 16-bit picture; sides of 4, 9, 16, 25, 36, 49, 64 … points", False, read_hald, hald_bytes),
)}
ENDINGS = tuple(f.ending for f in FORMATS.values())


def format_of(path: str | os.PathLike[str]) -> LutFormat | None:
    """The format by a file's ending."""
    suffix = Path(path).suffix.lower()
    return next((f for f in FORMATS.values() if f.ending == suffix), None)


def read_lut(path: str | os.PathLike[str]) -> Lut:
    """The table in a file; raises BadLut."""
    found = format_of(path)
    if found is None:
        raise BadLut(path, f"tables ending in “{Path(path).suffix.lower()}” cannot be read; use {', '.join(ENDINGS)}.")
    return found.read(Path(path))


def write_lut(lut: Lut, path: str | os.PathLike[str]) -> None:
    """Writes a table, whole or not at all; raises UnwritableFile for an ending that is no LUT format, BadLut for what it cannot hold."""
    found = format_of(path)
    if found is None:
        raise UnwritableFile(path, f"tables ending in “{Path(path).suffix.lower()}” cannot be written; use {', '.join(ENDINGS)}.")
    data = found.encode(lut)
    with whole_file(path) as temporary:
        temporary.write_bytes(data)


__all__ = ["ENDINGS", "FORMATS", "FormatName", "Lut1D", "Lut3D", "LutFormat", "format_of", "read_lut", "write_lut"]
