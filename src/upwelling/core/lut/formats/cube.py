"""The .cube text format, 1D and 3D.

Keywords TITLE, DOMAIN_MIN, DOMAIN_MAX, LUT_1D_SIZE, LUT_3D_SIZE and LUT_1D_INPUT_RANGE / LUT_3D_INPUT_RANGE; ``#``
comments; rows of three numbers, red fastest. Source: Adobe, "Cube LUT Specification 1.0" (2013). Reading is tolerant of
spacing, case of keywords and line ends, and strict about everything else, naming the line.
"""

from __future__ import annotations

import math
import os
import warnings
from pathlib import Path
from typing import Any

import numpy as np

from upwelling.core.errors import BadLut
from upwelling.core.files import whole_file
from upwelling.core.lut.table import Domain, Lut, Lut1D, Lut3D, Triple

LARGEST_3D, LARGEST_1D = 256, 65536
LARGEST_FILE = 700_000_000


def read_cube(path: str | os.PathLike[str]) -> Lut:
    """The table of a .cube file; raises BadLut with the line."""
    place = Path(path)
    try:
        if place.stat().st_size > LARGEST_FILE:
            raise BadLut(place, "the file is larger than any table this format may hold.")
        text = place.read_bytes().decode("utf-8-sig")
    except UnicodeDecodeError:
        raise BadLut(place, "this is not a text file, so it is not a .cube table.") from None
    except OSError as error:
        raise BadLut(place, f"cannot be read ({error.strerror}).") from None
    return parse_cube(text, place)


def parse_cube(text: str, name: object = "table.cube") -> Lut:
    """The table of .cube text; ``name`` is used in errors."""
    header = _Header(name)
    position, line_number = 0, 0
    while position < len(text):
        end = text.find("\n", position)
        end = len(text) if end < 0 else end
        line = text[position:end].strip()
        if line and (line[0].isdigit() or line[0] in "+-."):
            break
        line_number += 1
        header.take(line, line_number)
        position = end + 1
    size, dimensions = header.finished(line_number)
    rows = _numbers(text[position:], line_number + 1, name)
    wanted = size**dimensions
    if len(rows) != wanted:
        raise BadLut(name, f"expected {wanted:,} rows of three numbers for size {size}, found {len(rows):,}.".replace(",", " "))
    domain = Domain(header.low, header.high)
    comments = tuple(header.comments)
    if dimensions == 1:
        return Lut1D(rows, domain, header.title, comments)
    table = np.ascontiguousarray(rows.reshape(size, size, size, 3).transpose(2, 1, 0, 3))
    return Lut3D(table, domain, header.title, comments)


class _Header:
    def __init__(self, name: object) -> None:
        self.name = name
        self.title = ""
        self.low: Triple = (0.0, 0.0, 0.0)
        self.high: Triple = (1.0, 1.0, 1.0)
        self.sizes: dict[int, int] = {}
        self.comments: list[str] = []

    def take(self, line: str, number: int) -> None:
        if not line:
            return
        if line.startswith("#"):
            self.comments.append(line[1:].strip())
            return
        word, _, rest = line.partition(" ") if " " in line else line.partition("\t")
        rest = rest.split(" #")[0].strip()
        match word.upper():
            case "TITLE":
                self.title = rest.strip().strip('"')
            case "DOMAIN_MIN":
                self.low = self._triple(rest, number)
            case "DOMAIN_MAX":
                self.high = self._triple(rest, number)
            case "LUT_1D_INPUT_RANGE" | "LUT_3D_INPUT_RANGE":
                pair = self._floats(rest, number, 2)
                self.low, self.high = (pair[0],) * 3, (pair[1],) * 3
            case "LUT_1D_SIZE":
                self._size(1, rest, number, LARGEST_1D)
            case "LUT_3D_SIZE":
                self._size(3, rest, number, LARGEST_3D)
            case _:
                raise BadLut(self.name, f"“{word[:40]}” is neither a keyword of this format nor a number.", number)

    def _size(self, dimensions: int, rest: str, number: int, largest: int) -> None:
        try:
            size = int(rest)
        except ValueError:
            raise BadLut(self.name, f"the size should be a whole number, found “{rest[:40]}”.", number) from None
        if not 2 <= size <= largest:
            raise BadLut(self.name, f"the size should be 2 to {largest}, found {size}.", number)
        if self.sizes:
            raise BadLut(self.name, "a second size is given; this format holds one table.", number)
        self.sizes[dimensions] = size

    def _floats(self, rest: str, number: int, count: int) -> list[float]:
        try:
            values = [float(part) for part in rest.split()]
        except ValueError:
            values = []
        if len(values) != count or not all(math.isfinite(v) for v in values):
            raise BadLut(self.name, f"expected {count} numbers, found “{rest[:60]}”.", number)
        return values

    def _triple(self, rest: str, number: int) -> Triple:
        r, g, b = self._floats(rest, number, 3)
        return (r, g, b)

    def finished(self, line: int) -> tuple[int, int]:
        if not self.sizes:
            raise BadLut(self.name, "no LUT_1D_SIZE or LUT_3D_SIZE stands before the numbers.", line)
        if any(high <= low for low, high in zip(self.low, self.high, strict=True)):
            raise BadLut(self.name, f"DOMAIN_MAX {self.high} is not above DOMAIN_MIN {self.low}.")
        (dimensions, size), = self.sizes.items()
        return size, dimensions


def _numbers(text: str, first_line: int, name: object) -> Any:
    """Rows (N, 3) float32. The whole block is read at once; only a wrong one is walked line by line."""
    if "#" not in text:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            try:
                values = np.fromstring(text, dtype=np.float64, sep=" ")
            except (ValueError, DeprecationWarning):
                values = np.zeros(0)
        if values.size and _three_on_each_line(text) and values.size % 3 == 0 and (np.abs(values) < 3e38).all():
            return values.reshape(-1, 3).astype(np.float32)
    return _walk(text, first_line, name)


def _three_on_each_line(text: str) -> bool:
    letters = np.frombuffer(text.rstrip().encode("utf-8") + b"\n", dtype=np.uint8)
    space = letters <= 32
    starts = ~space
    starts[1:] &= space[:-1]
    ends = np.cumsum(starts, dtype=np.int64)[letters == 10]
    return bool((np.diff(ends, prepend=0) == 3).all())


def _walk(text: str, first_line: int, name: object) -> Any:
    rows = []
    for number, line in enumerate(text.splitlines(), first_line):
        line = line.split("#")[0].strip()
        if not line:
            continue
        parts = line.split()
        if len(parts) != 3:
            raise BadLut(name, f"expected three numbers, found {len(parts)}: “{line[:60]}”.", number)
        try:
            row = [float(part) for part in parts]
        except ValueError:
            raise BadLut(name, f"expected three numbers, found “{line[:60]}”.", number) from None
        if not all(math.isfinite(v) and abs(v) < 3e38 for v in row):
            raise BadLut(name, f"the numbers must be finite, found “{line[:60]}”.", number)
        rows.append(row)
    return np.array(rows, dtype=np.float32).reshape(-1, 3)


def format_cube(lut: Lut) -> str:
    """The .cube text of a table, seven decimals, red fastest."""
    lines = [f"# {line}" for comment in lut.comments for line in comment.splitlines()]
    if lut.title:
        lines.append('TITLE "{}"'.format(lut.title.replace('"', "'").replace("\n", " ")))
    lines.append(f"LUT_{1 if isinstance(lut, Lut1D) else 3}D_SIZE {lut.size}")
    if not lut.domain.is_unit:
        lines.append("DOMAIN_MIN " + " ".join(f"{v:.7g}" for v in lut.domain.low))
        lines.append("DOMAIN_MAX " + " ".join(f"{v:.7g}" for v in lut.domain.high))
    table = lut.table if isinstance(lut, Lut1D) else lut.table.transpose(2, 1, 0, 3).reshape(-1, 3)
    return "\n".join(lines) + "\n" + _rows_text(table)


def _rows_text(table: Any) -> str:
    """Rows as text. Values in 0…9 take the vectorised way, as one format call per row is three times the baking."""
    values = np.asarray(table, dtype=np.float64)
    if values.size and values.min() >= 0 and values.max() < 9.9999999:
        scaled = np.rint(values * 1e7).astype(np.int32)
        text = np.empty((*values.shape, 10), dtype=np.uint8)
        for place in range(8, 1, -1):
            rest = scaled // 10
            text[..., place] = scaled - 10 * rest + ord("0")
            scaled = rest
        text[..., 0] = scaled + ord("0")
        text[..., 1] = ord(".")
        text[..., 9] = ord(" ")
        text[:, 2, 9] = ord("\n")
        return text.tobytes().decode("ascii")
    return "".join("{:.7f} {:.7f} {:.7f}\n".format(*row) for row in values)


def write_cube(lut: Lut, path: str | os.PathLike[str]) -> None:
    """Writes the table, whole or not at all."""
    with whole_file(path) as temporary:
        temporary.write_text(format_cube(lut), encoding="utf-8", newline="\n")
