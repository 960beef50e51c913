"""What every table format answers: what it can hold, and how it is read and written."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path as FilePath
from typing import Any

from upwelling.core.errors import BadLut
from upwelling.core.lut import Lut

LARGEST_FILE = 700_000_000


def any_side(size: int) -> bool:
    """Cubes of every size."""
    return True


@dataclass(frozen=True)
class LutFormat:
    """One format by what it can hold; nothing else of the program asks for its name.

    ``nodes``: formulas as process nodes; ``shaper``: a curve before a cube; ``curves``: a 1D table; ``unit_only``:
    entries of 0…1 alone; ``sides`` says of a number of points whether a cube may have it, ``sides_said`` which they
    are.
    """

    name: str
    title: str
    ending: str
    about: str
    read: Callable[[FilePath], Lut]
    encode: Callable[[Any], bytes]
    nodes: bool = False
    shaper: bool = False
    curves: bool = True
    unit_only: bool = False
    sides: Callable[[int], bool] = any_side
    sides_said: str = ""


def read_bytes(path: FilePath) -> bytes:
    """A table file's bytes; raises BadLut."""
    try:
        if path.stat().st_size > LARGEST_FILE:
            raise BadLut(path, "the file is larger than any table may be.")
        return path.read_bytes()
    except OSError as error:
        raise BadLut(path, f"cannot be read ({error.strerror}).") from None
