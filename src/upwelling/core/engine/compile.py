"""Operations to numbers: packs each operation into an opcode and a row of float32 parameters."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.curves.aces_log import PureLog
from upwelling.core.curves.camera_log import CameraLog
from upwelling.core.curves.hlg import HybridLogGamma
from upwelling.core.curves.pq import PerceptualQuantiser
from upwelling.core.curves.segmented_power import Identity, PurePower, SegmentedPower
from upwelling.core.engine import tile
from upwelling.core.oklab import LAB_TO_ROOT, ROOT_TO_LAB
from upwelling.core.operations import (
    Affine,
    Blend,
    Decode,
    Encode,
    Hold,
    Matrix,
    Operation,
    Saturate,
    SlopeOffsetPower,
)
from upwelling.core.rendering.rise import RiseOperation

Packed = tuple[int, list[float]]


@dataclass(frozen=True, eq=False)
class Program:
    """What the tile engine runs: codes int32 (K,), rows float32 (K, ROW)."""

    codes: Any
    rows: Any


def _decode_log(c: CameraLog, s: float) -> Packed:
    return tile.LOG_DECODE, [1 / c.log_slope, c.log_offset, s / c.linear_slope, -s * c.linear_offset / c.linear_slope,
                             c.break_code, s / c.toe_slope, -s * c.toe_offset / c.toe_slope]


def _encode_log(c: CameraLog, s: float) -> Packed:
    return tile.LOG_ENCODE, [c.log_slope, c.log_offset, c.linear_slope / s, c.linear_offset, c.break_linear * s,
                             c.toe_slope / s, c.toe_offset]


_DECODERS: dict[type, Callable[[Any, float], Packed]] = {
    CameraLog: _decode_log,
    SegmentedPower: lambda c, s: (tile.SEGMENT_DECODE, [c.exponent, c.a, 1 / (1 + c.a), 1 / c.slope, c.break_code, s]),
    PurePower: lambda c, s: (tile.POWER, [c.exponent, 1.0, s]),
    Identity: lambda c, s: (tile.AFFINE, [s, 0.0]),
    PureLog: lambda c, s: (tile.PURE_LOG_DECODE, [s]),
    PerceptualQuantiser: lambda c, s: (tile.PQ_DECODE, [s]),
    HybridLogGamma: lambda c, s: (tile.HLG_DECODE, [s]),
}
_ENCODERS: dict[type, Callable[[Any, float], Packed]] = {
    CameraLog: _encode_log,
    SegmentedPower: lambda c, s: (tile.SEGMENT_ENCODE, [1 / c.exponent, c.a, 1 + c.a, c.slope, c.break_linear, 1 / s]),
    PurePower: lambda c, s: (tile.POWER, [1 / c.exponent, 1 / s, 1.0]),
    Identity: lambda c, s: (tile.AFFINE, [1 / s, 0.0]),
    PureLog: lambda c, s: (tile.PURE_LOG_ENCODE, [1 / s]),
    PerceptualQuantiser: lambda c, s: (tile.PQ_ENCODE, [1 / s]),
    HybridLogGamma: lambda c, s: (tile.HLG_ENCODE, [1 / s]),
}


def _pack_rise(op: RiseOperation) -> Packed:
    c = op.curve
    return tile.RISE, [
        c.contrast, c.toe, c.shoulder, c.peak_stops, c.mid_log2, c.power, 1 / (c.peak_stops - c.shoulder),
        op.ease_start, 1 / (c.peak_stops - op.ease_start),
        *op.to_lms.ravel(), *ROOT_TO_LAB.ravel(), *LAB_TO_ROOT[:, 1:].ravel(), *op.lms_to_rgb.ravel(),
    ]


_LIMIT = 3e38
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
}


def compile_operations(operations: Sequence[Operation]) -> Program:
    """The program of a list of operations; TypeError for one the engine does not know."""
    packed = [_pack(op) for op in operations]
    codes = np.array([code for code, _ in packed], dtype=np.int32)
    rows = np.zeros((len(packed), tile.ROW), dtype=np.float32)
    for row, (_, values) in zip(rows, packed, strict=True):
        row[: len(values)] = values
    return Program(codes, rows)


def _pack(operation: Operation) -> Packed:
    try:
        packer = _PACKERS[type(operation)]
    except KeyError:
        raise TypeError(f"The tile engine has no code for {type(operation).__name__}.") from None
    return packer(operation)
