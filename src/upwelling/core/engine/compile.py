"""A list of operations to a program: runs of the tile engine with tables between them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from upwelling.core.curves.table import TableCurve
from upwelling.core.engine.flat import ShowWeight, flattened, stands_alone
from upwelling.core.engine.fold import folded
from upwelling.core.engine.layout import ROW
from upwelling.core.engine.packing import Packed, pack, pack_matte
from upwelling.core.engine.tables import Tables
from upwelling.core.lut import Domain, Interpolation, Lut, Lut1D
from upwelling.core.operations import (
    NOTHING,
    ApplyLut,
    Aside,
    Decode,
    FrameOperation,
    Matte,
    Mixed,
    Needs,
    Operation,
    ShowMatte,
    needs_of,
)


@dataclass(frozen=True, eq=False)
class Tiles:
    """A run of operations for the tile engine: addresses int64 (K,), rows float32 (K, ROW), tables float32 (T,)."""

    addresses: Any
    rows: Any
    tables: Any


@dataclass(frozen=True, eq=False)
class TablePart:
    """A lookup table between two runs."""

    lut: Lut
    interpolation: Interpolation = "tetrahedral"


@dataclass(frozen=True, eq=False)
class Weights:
    """A matte's weights as a picture: its selections joined by a run of their own, then softened as a whole."""

    joined: Tiles
    matte: Matte


@dataclass(frozen=True, eq=False)
class MixedApart:
    """Operations mixed in between runs. ``into`` is run where the weights are judged on what comes before it."""

    into: Program | None
    inner: Program
    weights: Weights | None
    mixed: Mixed


@dataclass(frozen=True, eq=False)
class AsideApart:
    """Operations run for what they hand out."""

    inner: Program


Part = Tiles | TablePart | Weights | MixedApart | AsideApart | FrameOperation


@dataclass(frozen=True)
class Program:
    """What ``run`` does in order: runs of the tile engine; between them tables, operations on whole frames, and what
    is mixed in around those.
    """

    parts: tuple[Part, ...]
    needs: Needs = NOTHING


def compile_operations(operations: Sequence[Operation]) -> Program:
    """The program of a list of operations; TypeError for one the engine does not know."""
    parts: list[Part] = []
    packed: list[Packed] = []
    tables = Tables()
    for operation in folded(flattened(operations)):
        if not stands_alone(operation):
            packed += pack(operation, tables)
            continue
        if packed:
            parts.append(_tiles(packed, tables))
        parts.append(_part(operation))
        packed, tables = [], Tables()
    if packed or not parts:
        parts.append(_tiles(packed, tables))
    return Program(tuple(parts), needs_of(operations))


def _part(operation: Operation) -> Part:
    """What stands alone, as ``run`` takes it."""
    if isinstance(operation, Mixed):
        matte, inner = operation.matte, (*operation.back, *operation.inside, *operation.into)
        into = compile_operations(operation.into) if matte else None
        return MixedApart(into, compile_operations(inner), _weights(matte) if matte else None, operation)
    if isinstance(operation, Aside):
        return AsideApart(compile_operations(operation.operations))
    if isinstance(operation, ShowMatte):
        return _weights(operation.matte)
    if isinstance(operation, ApplyLut):
        return TablePart(operation.lut, operation.interpolation)
    if isinstance(operation, Decode) and isinstance(operation.curve, TableCurve):
        return TablePart(_decoding_table(operation.curve, operation.scale))
    assert isinstance(operation, FrameOperation)
    return operation


def _weights(matte: Matte) -> Weights:
    tables = Tables()
    bare = Matte(matte.parts) if matte.softened else matte
    return Weights(_tiles([*pack_matte(bare, tables), *pack(ShowWeight(), tables)], tables), matte)


def _tiles(packed: list[Packed], tables: Tables) -> Tiles:
    addresses = np.array([code.address for code, _ in packed], dtype=np.int64)
    rows = np.zeros((len(packed), ROW), dtype=np.float32)
    for row, (_, values) in zip(rows, packed, strict=True):
        row[: len(values)] = values
    return Tiles(addresses, rows, tables.joined())


@lru_cache(maxsize=16)
def _decoding_table(curve: TableCurve, scale: float) -> Lut1D:
    low, high, count = -0.25, 1.25, 1 << 17
    light = curve.to_linear(np.linspace(low, high, count)) * scale
    return Lut1D(np.repeat(light[:, None], 3, axis=1).astype(np.float32), Domain((low,) * 3, (high,) * 3))
