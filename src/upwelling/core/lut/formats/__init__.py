"""LUT file formats: one a file. ``read_lut`` and ``write_lut`` choose by the file's ending."""

from __future__ import annotations

import os
from pathlib import Path

from upwelling.core.errors import BadLut, UnwritableFile
from upwelling.core.lut.formats.cube import read_cube, write_cube
from upwelling.core.lut.table import Lut

READERS = {".cube": read_cube}
WRITERS = {".cube": write_cube}


def read_lut(path: str | os.PathLike[str]) -> Lut:
    """The table in a file; raises BadLut."""
    suffix = Path(path).suffix.lower()
    if suffix not in READERS:
        raise BadLut(path, f"tables ending in “{suffix}” cannot be read; use {', '.join(READERS)}.")
    return READERS[suffix](path)


def write_lut(lut: Lut, path: str | os.PathLike[str]) -> None:
    """Writes a table; raises UnwritableFile for an ending that is no LUT format."""
    suffix = Path(path).suffix.lower()
    if suffix not in WRITERS:
        raise UnwritableFile(path, f"tables ending in “{suffix}” cannot be written; use {', '.join(WRITERS)}.")
    WRITERS[suffix](lut, path)
