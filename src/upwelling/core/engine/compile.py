"""Operations to numbers: packs each operation into an opcode and a row of float32 parameters."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from upwelling.core.curves.aces_log import PureLog
from upwelling.core.curves.camera_log import CameraLog
from upwelling.core.curves.hlg import HybridLogGamma
from upwelling.core.curves.mirrored_log import MirroredLog
from upwelling.core.curves.power_toe_log import PowerToeLog
from upwelling.core.curves.pq import PerceptualQuantiser
from upwelling.core.curves.segmented_power import Identity, PurePower, SegmentedPower
from upwelling.core.curves.table import TableCurve
from upwelling.core.engine import tile
from upwelling.core.lut.table import Domain, Lut, Lut1D
from upwelling.core.oklab import LAB_TO_ROOT, ROOT_TO_LAB
from upwelling.core.operations import (
    Affine,
    ApplyLut,
    BalanceHighlights,
    Blend,
    Decode,
    Encode,
    Hold,
    LuminancePower,
    Matrix,
    Operation,
    Saturate,
    SlopeOffsetPower,
)
from upwelling.core.rendering.rise import RiseOperation

Packed = tuple[int, list[float]]


@dataclass(frozen=True, eq=False)
class Tiles:
    """A run of operations for the tile engine: codes int32 (K,), rows float32 (K, ROW)."""

    codes: Any
    rows: Any


@dataclass(frozen=True)
class Program:
    """What ``run`` does in order: runs of the tile engine, and tables between them."""

    parts: tuple[Tiles | Lut, ...]


def _decode_log(c: CameraLog, s: float) -> Packed:
    return tile.LOG_DECODE, [1 / c.log_slope, c.log_offset, s / c.linear_slope, -s * c.linear_offset / c.linear_slope,
                             c.break_code, s / c.toe_slope, -s * c.toe_offset / c.toe_slope]


def _encode_log(c: CameraLog, s: float) -> Packed:
    return tile.LOG_ENCODE, [c.log_slope, c.log_offset, c.linear_slope / s, c.linear_offset, c.break_linear * s,
                             c.toe_slope / s, c.toe_offset]


def _mirror(c: MirroredLog, decode: bool, s: float) -> Packed:
    if decode:
        return tile.MIRROR_DECODE, [1 / c.log_slope, c.offset_above, c.offset_below, 1 / c.gain, *c.code_breaks,
                                    1 / c.line_slope, c.line_offset, s]
    return tile.MIRROR_ENCODE, [c.log_slope, c.offset_above, c.offset_below, c.gain, c.break_low, c.break_high,
                                c.line_slope, c.line_offset, 1 / s]


def _power_toe(c: PowerToeLog, decode: bool, s: float) -> Packed:
    low = 0.0 if c.ends else -_LIMIT
    if decode:
        return tile.POWER_TOE_DECODE, [1 / c.log_slope, c.log_offset, c.linear_offset, c.break_code, 1 / c.toe_gain,
                                       c.toe_shift, 1 / c.toe_power, low, s]
    return tile.POWER_TOE_ENCODE, [c.log_slope, c.log_offset, c.linear_offset, c.break_linear, c.toe_gain, c.toe_shift,
                                   c.toe_power, low, 1 / s]


_LIMIT = 3e38
_DECODERS: dict[type, Callable[[Any, float], Packed]] = {
    CameraLog: _decode_log,
    SegmentedPower: lambda c, s: (tile.SEGMENT_DECODE, [c.exponent, c.a, 1 / (1 + c.a), 1 / c.slope, c.break_code, s]),
    PurePower: lambda c, s: (tile.POWER, [c.exponent, 1.0, s]),
    Identity: lambda c, s: (tile.AFFINE, [s, 0.0]),
    PureLog: lambda c, s: (tile.PURE_LOG_DECODE, [s]),
    PerceptualQuantiser: lambda c, s: (tile.PQ_DECODE, [s]),
    HybridLogGamma: lambda c, s: (tile.HLG_DECODE, [s]),
    MirroredLog: lambda c, s: _mirror(c, True, s),
    PowerToeLog: lambda c, s: _power_toe(c, True, s),
}
_ENCODERS: dict[type, Callable[[Any, float], Packed]] = {
    CameraLog: _encode_log,
    SegmentedPower: lambda c, s: (tile.SEGMENT_ENCODE, [1 / c.exponent, c.a, 1 + c.a, c.slope, c.break_linear, 1 / s]),
    PurePower: lambda c, s: (tile.POWER, [1 / c.exponent, 1 / s, 1.0]),
    Identity: lambda c, s: (tile.AFFINE, [1 / s, 0.0]),
    PureLog: lambda c, s: (tile.PURE_LOG_ENCODE, [1 / s]),
    PerceptualQuantiser: lambda c, s: (tile.PQ_ENCODE, [1 / s]),
    HybridLogGamma: lambda c, s: (tile.HLG_ENCODE, [1 / s]),
    MirroredLog: lambda c, s: _mirror(c, False, s),
    PowerToeLog: lambda c, s: _power_toe(c, False, s),
}


def _pack_rise(op: RiseOperation) -> Packed:
    c = op.curve
    return tile.RISE, [
        c.contrast, c.toe, c.shoulder, c.peak_stops, c.mid_log2, c.power, 1 / (c.peak_stops - c.shoulder),
        op.ease_start, 1 / (c.peak_stops - op.ease_start),
        *op.to_lms.ravel(), *ROOT_TO_LAB.ravel(), *LAB_TO_ROOT[:, 1:].ravel(), *op.lms_to_rgb.ravel(),
    ]


_PACKERS: dict[type, Callable[[Any], Packed]] = {
    Affine: lambda op: (tile.AFFINE, [op.gain, op.offset]),
    Matrix: lambda op: (tile.MATRIX, [v for row in op.rows for v in row]),
    Decode: lambda op: _DECODERS[type(op.curve)](op.curve, op.scale),
    Encode: lambda op: _ENCODERS[type(op.curve)](op.curve, op.scale),
    SlopeOffsetPower: lambda op: (tile.SOP, [*op.slope, *op.offset, *op.power, float(op.clamp)]),
    Saturate: lambda op: (tile.SATURATE, [op.amount, *((0.0, 1.0) if op.clamp else (-_LIMIT, _LIMIT))]),
    RiseOperation: _pack_rise,
    Hold: lambda op: (tile.HOLD, []),
    Blend: lambda op: (tile.BLEND, [op.strength]),
    LuminancePower: lambda op: (tile.LUMINANCE_POWER, [*op.weights, op.exponent, op.scale]),
    BalanceHighlights: lambda op: (tile.HIGHLIGHTS, [*op.gains, op.START, 1 / (op.END - op.START)]),
}


def compile_operations(operations: Sequence[Operation]) -> Program:
    """The program of a list of operations; TypeError for one the engine does not know."""
    parts: list[Tiles | Lut] = []
    packed: list[Packed] = []
    for operation in operations:
        table = _table_of(operation)
        if table is None:
            packed.append(_pack(operation))
            continue
        if packed:
            parts.append(_tiles(packed))
        parts.append(table)
        packed = []
    if packed or not parts:
        parts.append(_tiles(packed))
    return Program(tuple(parts))


def _tiles(packed: list[Packed]) -> Tiles:
    codes = np.array([code for code, _ in packed], dtype=np.int32)
    rows = np.zeros((len(packed), tile.ROW), dtype=np.float32)
    for row, (_, values) in zip(rows, packed, strict=True):
        row[: len(values)] = values
    return Tiles(codes, rows)


def _table_of(operation: Operation) -> Lut | None:
    """The table of an operation that is one, or that is run as one; these must not stand between Hold and Blend."""
    if isinstance(operation, ApplyLut):
        return operation.lut
    if isinstance(operation, Decode) and isinstance(operation.curve, TableCurve):
        return _decoding_table(operation.curve, operation.scale)
    return None


@lru_cache(maxsize=16)
def _decoding_table(curve: TableCurve, scale: float) -> Lut1D:
    low, high, count = -0.25, 1.25, 1 << 17
    light = curve.to_linear(np.linspace(low, high, count)) * scale
    return Lut1D(np.repeat(light[:, None], 3, axis=1).astype(np.float32), Domain((low,) * 3, (high,) * 3))


def _pack(operation: Operation) -> Packed:
    try:
        packer = _PACKERS[type(operation)]
    except KeyError:
        raise TypeError(f"The tile engine has no code for {type(operation).__name__}.") from None
    return packer(operation)
