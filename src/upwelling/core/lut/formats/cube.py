"""The .cube text format, 1D and 3D.

Keywords TITLE, DOMAIN_MIN, DOMAIN_MAX, LUT_1D_SIZE, LUT_3D_SIZE and LUT_1D_INPUT_RANGE / LUT_3D_INPUT_RANGE; ``#``
comments; rows of three numbers, red fastest. Source: Adobe, "Cube LUT Specification 1.0" (2013). Reading is tolerant of
spacing, case of keywords and line ends, and strict about everything else, naming the line.
"""

from __future__ import annotations

import math
import re
from typing import Any

import numpy as np

from upwelling.core.errors import BadLut
from upwelling.core.lut.numbers import number as read_number
from upwelling.core.lut.numbers import whole
from upwelling.core.lut.table import LARGEST, Domain, Lut1D, Lut3D, Triple
from upwelling.core.lut.text_kernel import LARGEST_VALUE, LONGEST_ROW, format_rows, parse_rows

_QUOTED = re.compile(r'"([^"]*)"\s*(?:#.*)?$')
LARGEST_1D = 65536
MOST_HEADER_LINES, LONGEST_LINE = 10_000, 2000
"""Lines before the numbers, and characters that are kept of one."""
SHORTEST_ROW = 6
"""Bytes of “0 0 0” and a line end."""


def parse_cube(data: bytes, name: object = "table.cube") -> Lut1D | Lut3D:
    """The table of .cube text in UTF-8 or Latin-1; ``name`` is used in errors."""
    if b"\0" in data:
        raise BadLut(name, "this is not a text file, so it is not a .cube table.")
    try:
        data.decode("utf-8-sig")
    except UnicodeDecodeError:  # older programs write titles and comments in Latin-1; numbers are the same in both
        data = data.decode("latin-1").encode()
    data = data.removeprefix(b"\xef\xbb\xbf")
    if b"\r" in data:
        data = data.replace(b"\r\n", b"\n").replace(b"\r", b"\n")
    header = _Header(name)
    position, line_number = 0, 0
    while position < len(data):
        end = data.find(b"\n", position)
        end = len(data) if end < 0 else end
        line = data[position:end].decode("utf-8").strip()
        if line and (line[0].isdecimal() or line[0] in "+-."):
            break
        line_number += 1
        if line_number > MOST_HEADER_LINES:
            raise BadLut(name, f"{MOST_HEADER_LINES} lines came before the first number.", line_number)
        header.take(line[:LONGEST_LINE], line_number)
        position = end + 1
    size, dimensions = header.finished(line_number)
    wanted = size**dimensions
    rows = _numbers(data, position, line_number + 1, wanted, name)
    if len(rows) != wanted:
        cut = " The file is cut short: copy it again from the source." if len(rows) < wanted else ""
        raise BadLut(
            name,
            f"expected {wanted:,} rows of three numbers for size {size}, found {len(rows):,}.".replace(",", " ") + cut,
        )
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
        quoted = _QUOTED.match(rest.strip()) if word.upper() == "TITLE" else None
        rest = rest.split(" #")[0].strip()
        match word.upper():
            case "TITLE":
                self.title = quoted[1] if quoted else rest.strip('"')
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
                self._size(3, rest, number, LARGEST)
            case _:
                raise BadLut(self.name, f"“{word[:40]}” is neither a keyword of this format nor a number.", number)

    def _size(self, dimensions: int, rest: str, number: int, largest: int) -> None:
        try:
            size = whole(rest)
        except ValueError:
            raise BadLut(self.name, f"the size should be a whole number, found “{rest[:40]}”.", number) from None
        if not 2 <= size <= largest:
            raise BadLut(self.name, f"the size should be 2 to {largest}, found {size}.", number)
        if self.sizes:
            raise BadLut(self.name, "a second size is given; this format holds one table.", number)
        self.sizes[dimensions] = size

    def _floats(self, rest: str, number: int, count: int) -> list[float]:
        try:
            values = [read_number(part) for part in rest.split()]
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
        ((dimensions, size),) = self.sizes.items()
        return size, dimensions


def _numbers(data: bytes, start: int, first_line: int, wanted: int, name: object) -> Any:
    """Rows (N, 3) float32. The kernel reads the whole block; what it does not understand is walked line by line."""
    rows = np.empty(
        (min(wanted, (len(data) - start) // SHORTEST_ROW + 1), 3)
    )  # what a header claims must not take memory a file cannot fill
    count, position = parse_rows(np.frombuffer(data, np.uint8), start, rows)
    if position == len(data):
        return rows[:count].astype(np.float32)
    rest = _walk(
        data[position:].decode("utf-8"), first_line + data.count(b"\n", start, position), name, count, wanted - count
    )
    return np.concatenate([rows[:count].astype(np.float32), rest])


def _walk(text: str, first_line: int, name: object, before: int, room: int) -> Any:
    """Comments and odd spacing are borne; anything else is named by its line. Rows beyond ``room`` are only counted."""
    rows: list[list[float]] = []
    more = 0
    text = text.rstrip()
    last = first_line + text.count("\n")
    for number, line in enumerate(text.splitlines(), first_line):
        line = line.split("#")[0].strip()
        if not line:
            continue
        parts = line.split()
        if len(parts) < 3 and number == last and before + len(rows) + 1 < before + room:
            raise BadLut(
                name,
                f"the file is cut short in row {before + len(rows) + 1:,} of {before + room:,}: copy it again from "
                "the source.".replace(",", " "),
                number,
            )
        if len(parts) != 3:
            raise BadLut(name, f"expected three numbers, found {len(parts)}: “{line[:60]}”.", number)
        try:
            row = [read_number(part) for part in parts]
        except ValueError:
            raise BadLut(name, f"expected three numbers, found “{line[:60]}”.", number) from None
        if not all(math.isfinite(v) and abs(v) < 3e38 for v in row):
            raise BadLut(name, f"the numbers must be finite, found “{line[:60]}”.", number)
        if len(rows) < room:
            rows.append(row)
        else:
            more += 1
    if more:
        raise BadLut(
            name, f"expected {before + room:,} rows of three numbers, found {before + room + more:,}.".replace(",", " ")
        )
    return np.array(rows, dtype=np.float32).reshape(-1, 3)


def format_cube(lut: Lut1D | Lut3D) -> str:
    """The .cube text of a table, seven decimals, red fastest."""
    lines = [f"# {line}" for comment in lut.comments for line in comment.splitlines()]
    if lut.title:
        lines.append('TITLE "{}"'.format(lut.title.replace('"', "'").replace("\n", " ")))
    lines.append(f"LUT_{1 if isinstance(lut, Lut1D) else 3}D_SIZE {lut.size}")
    if not lut.domain.is_unit:
        lines.append("DOMAIN_MIN " + " ".join(f"{v:.7g}" for v in lut.domain.low))
        lines.append("DOMAIN_MAX " + " ".join(f"{v:.7g}" for v in lut.domain.high))
    table = lut.table if isinstance(lut, Lut1D) else lut.table.transpose(2, 1, 0, 3).reshape(-1, 3)
    return "\n".join(lines) + "\n" + rows_text(table)


def rows_text(table: Any) -> str:
    """Rows as text with seven decimals."""
    values = np.ascontiguousarray(table, dtype=np.float64)
    if values.size and np.abs(values).max() < LARGEST_VALUE:
        out = np.empty(values.shape[0] * LONGEST_ROW, np.uint8)
        return out[: format_rows(values, out)].tobytes().decode("ascii")
    return "".join("{:.7f} {:.7f} {:.7f}\n".format(*row) for row in values)
