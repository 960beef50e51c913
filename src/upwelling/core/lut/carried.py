"""A lookup table that travels inside a recipe: packed, with the hash of the file it came from,
unpacked once and kept.
"""

from __future__ import annotations

import base64
import hashlib
import math
import threading
import zlib
from collections import OrderedDict
from typing import Any, Literal, Self

import numpy as np
from pydantic import Field

from upwelling.core.errors import BadLut, BadValue
from upwelling.core.frozen import Frozen
from upwelling.core.lut.formats.clf import parse_clf
from upwelling.core.lut.formats.clf_write import format_clf
from upwelling.core.lut.process import ProcessList
from upwelling.core.lut.table import Domain, Lut1D, Lut3D

LARGEST_TEXT, LARGEST_SIDE = 100_000_000, 256
"""Bytes of a process list's text, and points a side of a cube."""
_unpacked: OrderedDict[str, tuple[Lut1D | Lut3D | ProcessList, int]] = OrderedDict()
_KEPT = 256 * 2**20
"""Bytes of unpacked tables that are kept."""
_LOCK = threading.Lock()


class CarriedLut(Frozen):
    """``digest`` is SHA-256 over what was packed, and tells tables apart; ``file_sha256`` is that of the file it was
    read from.

    ``data`` is base64 of zlib of float32 entries (1D and 3D) or of Common LUT Format text (process).
    """

    name: str = Field(max_length=200)
    file_sha256: str = Field("", pattern=r"^([0-9a-f]{64})?$")
    kind: Literal["1d", "3d", "process"]
    size: int = Field(ge=0, le=65536)
    low: tuple[float, float, float] = (0.0, 0.0, 0.0)
    high: tuple[float, float, float] = (1.0, 1.0, 1.0)
    digest: str = Field(pattern=r"^[0-9a-f]{64}$")
    data: str = Field(repr=False)

    @classmethod
    def of(cls, lut: Lut1D | Lut3D | ProcessList, name: str, file_sha256: str = "") -> Self:
        """Packs a table."""
        if isinstance(lut, ProcessList):
            body, kind, low, high = format_clf(lut).encode(), "process", (0.0,) * 3, (1.0,) * 3
        else:
            body, kind = (
                np.ascontiguousarray(lut.table, dtype="<f4").tobytes(),
                "1d" if isinstance(lut, Lut1D) else "3d",
            )
            low, high = lut.domain.low, lut.domain.high
        made: dict[str, Any] = {"kind": kind, "size": lut.size, "low": low, "high": high}
        return cls(
            name=name[:200],
            file_sha256=file_sha256,
            digest=_digest(made, body),
            data=base64.b64encode(zlib.compress(body, 5)).decode(),
            **made,
        )

    @property
    def entries(self) -> int:
        """Triples it holds when unpacked; a process list counts as none."""
        return {"1d": self.size, "3d": self.size**3}.get(self.kind, 0)

    def lut(self) -> Lut1D | Lut3D | ProcessList:
        """The table; raises BadValue when what is packed is not what was."""
        with _LOCK:
            if self.digest in _unpacked:
                _unpacked.move_to_end(self.digest)
                return _unpacked[self.digest][0]
        try:
            most = (
                LARGEST_TEXT
                if self.kind == "process"
                else 12 * (self.size if self.kind == "1d" else min(self.size, LARGEST_SIDE) ** 3)
            )
            body = zlib.decompressobj().decompress(base64.b64decode(self.data, validate=True), most + 1)
            if _digest({"kind": self.kind, "size": self.size, "low": self.low, "high": self.high}, body) != self.digest:
                raise ValueError
            made = parse_clf(body, self.name) if self.kind == "process" else self._table(body)
        except (ValueError, zlib.error, BadLut):
            raise BadValue(
                f"The table “{self.name}” carried here is damaged. Take it from the LUT's file again."
            ) from None
        with _LOCK:
            _unpacked[self.digest] = made, len(body)
            while len(_unpacked) > 1 and sum(size for _, size in _unpacked.values()) > _KEPT:
                _unpacked.popitem(last=False)
        return made

    def _table(self, body: bytes) -> Lut1D | Lut3D:
        shape = (self.size, 3) if self.kind == "1d" else (self.size,) * 3 + (3,)
        if len(body) != 4 * math.prod(shape):
            raise ValueError
        table = np.frombuffer(body, "<f4").reshape(shape).astype(np.float32)
        return (Lut1D if self.kind == "1d" else Lut3D)(table, Domain(self.low, self.high), self.name)


def _digest(made: dict[str, Any], body: bytes) -> str:
    said = f"{made['kind']} {made['size']} {tuple(map(float, made['low']))} {tuple(map(float, made['high']))}\n"
    return hashlib.sha256(said.encode() + body).hexdigest()
