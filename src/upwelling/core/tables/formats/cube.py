"""The .cube text format."""

from __future__ import annotations

from upwelling.core.errors import BadLut
from upwelling.core.lut import Lut
from upwelling.core.lut.formats.cube import format_cube, parse_cube
from upwelling.core.lut.process import ProcessList
from upwelling.core.tables.formats.base import LutFormat, read_bytes


def _encode(lut: Lut) -> bytes:
    if isinstance(lut, ProcessList):
        raise BadLut("table.cube", "a .cube file holds one table; process nodes need the Common LUT Format (.clf).")
    return format_cube(lut).encode()


CUBE = LutFormat(
    "cube", ".cube", ".cube", "one table, 1D or 3D, as text", lambda path: parse_cube(read_bytes(path), path), _encode
)
