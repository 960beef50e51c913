"""The Common LUT Format: process nodes, a shaper and a cube where the path is no formula."""

from __future__ import annotations

from upwelling.core.errors import BadLut
from upwelling.core.lut import Lut
from upwelling.core.lut.formats.clf import parse_clf
from upwelling.core.lut.formats.clf_write import format_clf
from upwelling.core.lut.process import ProcessList, TableNode
from upwelling.core.tables.formats.base import LutFormat, read_bytes


def _encode(lut: Lut) -> bytes:
    if isinstance(lut, ProcessList):
        return format_clf(lut).encode()
    if not lut.domain.is_unit:
        raise BadLut("table.clf", "a table with a domain of its own needs a Range node before it.")
    return format_clf(ProcessList((TableNode(lut),), lut.title, lut.comments)).encode()


CLF = LutFormat(
    "clf",
    "Common LUT Format",
    ".clf",
    "process nodes: formulas where the path is one, a shaper and a cube where it is not",
    lambda path: parse_clf(read_bytes(path), path),
    _encode,
    nodes=True,
    shaper=True,
)
