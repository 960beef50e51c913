"""Reading and writing files of lookup tables by their ending."""

from __future__ import annotations

import os
from pathlib import Path as FilePath

from upwelling.core.errors import BadLut, UnwritableFile
from upwelling.core.files import whole_file
from upwelling.core.lut import Lut
from upwelling.core.tables.formats import FORMATS, LutFormat

ENDINGS = tuple(f.ending for f in FORMATS.values())


def format_of(path: str | os.PathLike[str]) -> LutFormat | None:
    """The format by a file's ending."""
    suffix = FilePath(path).suffix.lower()
    return next((f for f in FORMATS.values() if f.ending == suffix), None)


def read_lut(path: str | os.PathLike[str]) -> Lut:
    """The table in a file; raises BadLut."""
    found = format_of(path)
    if found is None:
        raise BadLut(
            path, f"tables ending in “{FilePath(path).suffix.lower()}” cannot be read; use {', '.join(ENDINGS)}."
        )
    return found.read(FilePath(path))


def write_lut(lut: Lut, path: str | os.PathLike[str]) -> None:
    """Writes a table, whole or not at all; raises UnwritableFile for an ending that is no LUT format, BadLut for what
    it cannot hold.
    """
    found = format_of(path)
    if found is None:
        raise UnwritableFile(
            path, f"tables ending in “{FilePath(path).suffix.lower()}” cannot be written; use {', '.join(ENDINGS)}."
        )
    data = found.encode(lut)
    with whole_file(path) as temporary:
        temporary.write_bytes(data)
