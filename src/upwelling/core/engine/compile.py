"""A list of operations to a program: runs of the tile engine with tables between them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from upwelling.core.curves.table import TableCurve
from upwelling.core.engine.fold import folded
from upwelling.core.engine.layout import ROW
from upwelling.core.engine.packing import Packed, Tables, pack, pack_matte
from upwelling.core.lut import Domain, Interpolation, Lut, Lut1D
from upwelling.core.operations import (
    NOTHING,
    ApplyLut,
    Blend,
    Decode,
    FrameOperation,
    Hold,
    Matte,
    MixBy,
    Needs,
    Operation,
    ShowSelection,
    needs_of,
    reach_of,
)


@dataclass(frozen=True, eq=False)
class Tiles:
    """A run of operations for the tile engine: addresses int64 (K,), rows float32 (K, ROW), tables float32 (T,)."""

    addresses: Any
    rows: Any
    tables: Any


@dataclass(frozen=True, eq=False)
class Table:
    """A lookup table between two runs."""

    lut: Lut
    interpolation: Interpolation = "tetrahedral"


@dataclass(frozen=True, eq=False)
class Softened:
    """A matte between two runs: its joined weights as a picture, by a run of their own, then softened as a whole."""

    weights: Tiles
    matte: Matte


Part = Tiles | Table | Softened | FrameOperation | Hold | Blend | MixBy | ShowSelection


@dataclass(frozen=True)
class Program:
    """What ``run`` does in order: runs of the tile engine; between them tables and operations on whole frames, and
    mattes, holding and mixing where these stand around one of those.
    """

    parts: tuple[Part, ...]
    needs: Needs = NOTHING

    def reach(self, pixel: float) -> int:
        """How many pixels of ``pixel`` frame heights it looks to either side."""
        return reach_of((part.matte if isinstance(part, Softened) else part for part in self.parts), pixel)  # type: ignore[misc]


def compile_operations(operations: Sequence[Operation]) -> Program:
    """The program of a list of operations; TypeError for one the engine does not know."""
    parts: list[Part] = []
    packed: list[Packed] = []
    tables = Tables()
    listed = folded(operations)
    apart = _around_frames(listed)
    for index, operation in enumerate(listed):
        between = _part(operation) if index in apart else _whole(operation)
        if between is None:
            packed += pack_matte(operation, tables) if isinstance(operation, Matte) else [pack(operation, tables)]
            continue
        if packed:
            parts.append(_tiles(packed, tables))
        parts.append(between)
        packed, tables = [], Tables()
    if packed or not parts:
        parts.append(_tiles(packed, tables))
    return Program(tuple(parts), needs_of(operations))


def _part(operation: Operation) -> Part:
    """A Hold, Blend, MixBy or Matte that stands around something run on whole arrays."""
    return _softened(operation) if isinstance(operation, Matte) else operation  # type: ignore[return-value]


def _whole(operation: Operation) -> Part | None:
    """What of an operation is run on a whole array by itself; None for one of the tile engine's."""
    if isinstance(operation, FrameOperation):
        return operation
    if isinstance(operation, Matte):
        return _softened(operation) if operation.softened else None
    return _table_of(operation)


def _softened(matte: Matte) -> Softened:
    tables = Tables()
    bare = Matte(matte.parts, gamma=1.0 if matte.softened else matte.gamma)
    rows = [*pack_matte(bare, tables), pack(ShowSelection(), tables)]
    return Softened(_tiles(rows, tables), matte)


def _tiles(packed: list[Packed], tables: Tables) -> Tiles:
    addresses = np.array([code.address for code, _ in packed], dtype=np.int64)
    rows = np.zeros((len(packed), ROW), dtype=np.float32)
    for row, (_, values) in zip(rows, packed, strict=True):
        row[: len(values)] = values
    return Tiles(addresses, rows, tables.joined())


def _around_frames(operations: Sequence[Operation]) -> set[int]:
    """Places of the Holds, Blends, MixBys and Mattes between which something is run on whole arrays: what they keep
    must outlive a run of the tile engine.
    """
    apart: set[int] = set()
    users: list[tuple[int, int]] = []
    held: dict[int, int] = {}
    selected = -1
    for index, operation in enumerate(operations):
        if isinstance(operation, Hold):
            held[operation.slot] = index
        elif isinstance(operation, Matte):
            selected = index
        elif isinstance(operation, ShowSelection):
            if selected >= 0 and any(_whole(one) for one in operations[selected:index]):
                apart |= {index, selected}
        elif isinstance(operation, MixBy | Blend):
            start = held.get(operation.slot if isinstance(operation, Blend) else 0, 0)
            users.append((start, index))
            by_matte = isinstance(operation, Blend) and operation.selected
            inner = operations[min(start, selected) if by_matte else start : index]
            if any(_whole(one) for one in inner):
                apart |= {start, index} | ({selected} if by_matte else set())
    # Whoever uses a value that is held between runs has to stand between runs as well.
    return apart | {index for start, index in users if start in apart}


def _table_of(operation: Operation) -> Table | None:
    """The table of an operation that is one, or that is run as one."""
    if isinstance(operation, ApplyLut):
        return Table(operation.lut, operation.interpolation)
    if isinstance(operation, Decode) and isinstance(operation.curve, TableCurve):
        return Table(_decoding_table(operation.curve, operation.scale))
    return None


@lru_cache(maxsize=16)
def _decoding_table(curve: TableCurve, scale: float) -> Lut1D:
    low, high, count = -0.25, 1.25, 1 << 17
    light = curve.to_linear(np.linspace(low, high, count)) * scale
    return Lut1D(np.repeat(light[:, None], 3, axis=1).astype(np.float32), Domain((low,) * 3, (high,) * 3))
