"""What a DNG asks to be done to linear raw values: the two kinds that carry tone, without which values are not light.

Lossy raws are coded on a curve that is undone by one of these. Others (lens, bad pixels, gain maps) are only named.

Source: Adobe, Digital Negative Specification 1.7.1.0 (2023), chapter 7, “Opcode List Processing”, MapTable (7) and
MapPolynomial (8).
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import Float32
from upwelling.core.errors import BadValue

NAMES = {
    1: "lens distortion",
    2: "fisheye distortion",
    3: "vignetting",
    4: "bad pixels",
    5: "bad pixels",
    6: "trimmed edges",
    7: "a tone table",
    8: "a tone polynomial",
    9: "a gain map",
    10: "row offsets",
    11: "column offsets",
    12: "row gains",
    13: "column gains",
    14: "lens distortion",
}
TABLE, POLYNOMIAL = 7, 8
_FULL = 65535
_AREA = struct.Struct(">8I")


@dataclass(frozen=True, eq=False)
class Tone:
    """A curve over a part of the raw: rows and columns by their slices, planes from ``plane`` on."""

    rows: slice
    columns: slice
    plane: int
    planes: int
    table: Any = None
    coefficients: tuple[float, ...] = ()

    def applied(self, linear: Float32) -> Float32:
        """``linear`` (H, W) or (H, W, planes), changed where the curve is for; it holds 0…1 and gives 0…1."""
        stacked = linear[..., None] if linear.ndim == 2 else linear
        part = np.clip(stacked[self.rows, self.columns, self.plane : self.plane + self.planes], 0, 1)
        if self.table is not None:
            out = np.interp(part * _FULL, np.arange(len(self.table)), self.table) / _FULL
        else:
            out = np.polynomial.polynomial.polyval(part.astype(np.float64), self.coefficients)
        stacked[self.rows, self.columns, self.plane : self.plane + self.planes] = np.clip(out, 0, 1)
        return linear


def opcodes_of(data: bytes) -> list[tuple[int, bytes]]:
    """Kind and parameters of each of a list; raises BadValue for one that is cut short."""
    if len(data) < 4:
        return []
    found, at = [], 4
    for _ in range(int.from_bytes(data[:4], "big")):
        if at + 16 > len(data):
            raise BadValue("a list of corrections is cut short.")
        kind, _, _, size = struct.unpack_from(">4I", data, at)
        if at + 16 + size > len(data):
            raise BadValue("a list of corrections is cut short.")
        found.append((kind, data[at + 16 : at + 16 + size]))
        at += 16 + size
    return found


def tone_of(kind: int, data: bytes) -> Tone:
    """One of the two kinds; raises BadValue for parameters that are none."""
    try:
        top, left, bottom, right, plane, planes, row_pitch, column_pitch = _AREA.unpack_from(data)
        count = int(struct.unpack_from(">I", data, _AREA.size)[0])
        rest = data[_AREA.size + 4 :]
        if kind == TABLE:
            table = np.frombuffer(rest, ">u2", count).astype(np.float64)
            values: dict[str, Any] = {"table": np.concatenate([table, np.full(max(_FULL + 1 - count, 0), table[-1])])}
        else:
            values = {"coefficients": struct.unpack_from(f">{count + 1}d", rest)}
    except (struct.error, ValueError, IndexError):
        raise BadValue("a tone curve of it is cut short.") from None
    if not row_pitch or not column_pitch:
        raise BadValue("a tone curve of it is for no pixel.")
    return Tone(slice(top, bottom, row_pitch), slice(left, right, column_pitch), plane, planes, **values)
