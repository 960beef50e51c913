"""Hald images: a cube as a 16-bit picture."""

from __future__ import annotations

from upwelling.core.media.hald import LEVELS, hald_bytes, read_hald
from upwelling.core.tables.formats.base import LutFormat

_SIDES = tuple(level * level for level in LEVELS)

HALD = LutFormat(
    "hald",
    "Hald image",
    ".png",
    "a cube as a 16-bit picture; sides of 4, 9, 16, 25, 36, 49, 64 … points",
    read_hald,
    hald_bytes,
    curves=False,
    unit_only=True,
    sides=_SIDES.__contains__,
    sides_said="4, 9, 16, 25, 36, 49, 64 …",
)
