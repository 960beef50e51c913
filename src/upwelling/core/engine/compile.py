"""Operations to numbers: packs each operation into an opcode, a row of float32 parameters, and tables of its curves."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, get_args

import numpy as np

from upwelling.core.colour_operations import ColourShift, Select, ShowSelection
from upwelling.core.curves.aces_log import PureLog
from upwelling.core.curves.camera_log import CameraLog
from upwelling.core.curves.hlg import HybridLogGamma
from upwelling.core.curves.mirrored_log import MirroredLog
from upwelling.core.curves.power_toe_log import PowerToeLog
from upwelling.core.curves.pq import PerceptualQuantiser
from upwelling.core.curves.segmented_power import Identity, PurePower, SegmentedPower
from upwelling.core.curves.table import TableCurve
from upwelling.core.engine import tile
from upwelling.core.engine.fold import folded
from upwelling.core.engine.scale_kernel import CELLS_A_STOP
from upwelling.core.lut import Domain, Interpolation, Lut, Lut1D
from upwelling.core.operations import (
    Affine,
    ApplyLut,
    BalanceHighlights,
    BandGain,
    Blend,
    ChannelCurves,
    Decode,
    Encode,
    Hold,
    LuminancePower,
    Matrix,
    Operation,
    Saturate,
    SlopeOffsetPower,
    Tap,
)
from upwelling.core.rendering.base import Preserved
from upwelling.core.rendering.bt2446_a import MethodA
from upwelling.core.rendering.fits.distance import POWER, SCALES, THRESHOLDS, DistanceOperation
from upwelling.core.rendering.fits.smooth import SmoothOperation
from upwelling.core.rendering.limit import Limit
from upwelling.core.rendering.rise_operation import RiseOperation
from upwelling.core.rendering.root_space import RootSpace
from upwelling.core.rendering.tone_curve import LOWEST_STOP, ToneCurve
from upwelling.core.rendering.tone_scale import HIGHEST, LOWEST, ToneScale
from upwelling.core.spline import Spline

Packed = tuple[int, list[float]]


@dataclass(frozen=True, eq=False)
class Tiles:
    """A run of operations for the tile engine: codes int32 (K,), rows float32 (K, ROW), tables float32 (T,)."""

    codes: Any
    rows: Any
    tables: Any


@dataclass(frozen=True, eq=False)
class Table:
    """A lookup table between two runs."""

    lut: Lut
    interpolation: Interpolation = "tetrahedral"


@dataclass(frozen=True)
class Program:
    """What ``run`` does in order: runs of the tile engine, tables between them, and holding and blending around tables."""

    parts: tuple[Tiles | Table | Hold | Blend | Select, ...]


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


def _space_row(space: RootSpace) -> list[float]:
    return [*space.to_cones.ravel(), *space.to_light.ravel(), float(space.log2_q), space.light_floor]


class Tables:
    """The curves of a run as one row of numbers; equal curves are sampled once and kept."""

    def __init__(self) -> None:
        self.parts: list[Any] = []
        self.length = 0

    def add(self, *curves: Any) -> float:
        """Appends sampled curves, each with its last value twice; returns where the first begins."""
        start = self.length
        for values in curves:
            self.parts.append(values)
            self.length += len(values)
        return float(start)

    def joined(self) -> Any:
        return np.concatenate(self.parts) if self.parts else np.zeros(1, np.float32)


@lru_cache(maxsize=256)
def _sampled(chain: tuple[Spline, ...], low: float, high: float, cells: int) -> Any:
    values = np.linspace(low, high, cells + 1)
    for curve in chain:
        values = curve(values)
    return np.append(values, values[-1]).astype(np.float32)


CODE_LOW, CODE_HIGH, CODE_CELLS = -0.5, 1.5, 4096
HUE_CELLS, SATURATION_CELLS, STOP_CELLS = 2048, 1024, 2048
NORMS = ("luminance", "largest channel", "power norm")


def _pack_curves(op: ChannelCurves, tables: Tables) -> Packed:
    slopes: list[float] = []
    cell = (CODE_HIGH - CODE_LOW) / CODE_CELLS
    sampled = [_sampled(chain, CODE_LOW, CODE_HIGH, CODE_CELLS) for chain in op.chains]
    for chain in op.chains:
        ends = np.array([CODE_LOW - cell, CODE_LOW, CODE_HIGH, CODE_HIGH + cell])
        for curve in chain:
            ends = curve(ends)
        slopes += [(ends[1] - ends[0]) / cell, (ends[3] - ends[2]) / cell]
    return tile.CHANNEL_CURVES, [tables.add(*sampled), CODE_LOW, 1 / cell, float(CODE_CELLS), CODE_HIGH, *slopes]


def _table(curve: Spline, low: float, high: float, cells: int, tables: Tables) -> list[float]:
    """Four parameters of a curve over low…high: where it lies, or that it is flat."""
    first = curve.points[0][1]
    if curve.is_flat(first):
        return [-1.0, first, 0.0, 0.0]
    return [tables.add(_sampled((curve,), low, high, cells)), low, cells / (high - low), float(cells)]


def _pack_gain(op: BandGain, tables: Tables) -> Packed:
    low, high = op.gain.points[0][0], op.gain.points[-1][0]
    start = tables.add(_sampled((op.gain,), low, high, STOP_CELLS))
    return tile.BAND_GAIN, [float(NORMS.index(op.norm)), *op.luminance, start, low, STOP_CELLS / (high - low), float(STOP_CELLS)]


def _pack_select(op: Select, tables: Tables) -> Packed:
    (low, high, soft), (dark, bright, soft_stops) = op.saturation, op.stops
    return tile.SELECT, [*(v for row in op.to_lms for v in row), op.hue, op.half_width + op.hue_soft, 1 / op.hue_soft,
                         low, high, 1 / soft, dark, bright, 1 / soft_stops, float(op.invert)]


def _pack_shift(op: ColourShift, tables: Tables) -> Packed:
    by_hue = [_table(c, 0.0, 360.0, HUE_CELLS, tables) for c in (op.hue_by_hue, op.brightness_by_hue, op.saturation_by_hue)]
    rest = [_table(op.saturation_by_saturation, 0.0, 1.0, SATURATION_CELLS, tables),
            _table(op.saturation_by_stops, -10.0, 10.0, STOP_CELLS, tables)]
    matrix = np.array(op.to_lms)
    return tile.COLOUR_SHIFT, [*matrix.ravel(), *np.linalg.inv(matrix).ravel(), *(v for part in (*by_hue, *rest) for v in part),
                               float(op.amount is not None), (op.amount or 0.0) - 1]


PRESERVED = get_args(Preserved)


@lru_cache(maxsize=64)
def _gain_table(op: ToneScale) -> Any:
    stops = np.linspace(LOWEST, HIGHEST, int(HIGHEST - LOWEST) * CELLS_A_STOP + 1)
    values = np.log2(np.maximum(op.gain(np.exp2(stops)), 1e-30))
    return np.append(values, values[-1]).astype(np.float32)


@lru_cache(maxsize=64)
def _luma_table(op: MethodA) -> Any:
    values = op.ratio(np.linspace(0.0, 1.0, CODE_CELLS + 1))
    return np.append(values, values[-1]).astype(np.float32)


def _pack_scale(op: ToneScale, tables: Tables) -> Packed:
    return tile.TONE_SCALE, [float(PRESERVED.index(op.preserve)), *op.luminance, op.ceiling, op.saturation, tables.add(_gain_table(op))]


@lru_cache(maxsize=64)
def _curve_table(curve: ToneCurve) -> Any:
    cells = _curve_cells(curve)
    values = np.exp2(curve.log2_display(np.linspace(LOWEST_STOP, curve.peak_stops, cells + 1)))
    return np.append(values, values[-1]).astype(np.float32)


def _curve_cells(curve: ToneCurve) -> int:
    return int((curve.peak_stops - LOWEST_STOP) * CELLS_A_STOP)


def _pack_rise(op: RiseOperation, tables: Tables) -> Packed:
    curve, cells = op.curve, _curve_cells(op.curve)
    return tile.RISE, [*_space_row(op.space), tables.add(_curve_table(curve)), LOWEST_STOP, cells / (curve.peak_stops - LOWEST_STOP), float(cells),
                       1 / curve.contrast, op.ease_start, 1 / (curve.peak_stops - op.ease_start), op.desaturation, float(op.fitted)]


def _pack_method_a(op: MethodA, tables: Tables) -> Packed:
    return tile.METHOD_A, [tables.add(_luma_table(op)), float(CODE_CELLS)]


_WITH_TABLES: dict[type, Callable[[Any, Tables], Packed]] = {
    RiseOperation: _pack_rise, ToneScale: _pack_scale, MethodA: _pack_method_a,
    ChannelCurves: _pack_curves, BandGain: _pack_gain, Select: _pack_select, ColourShift: _pack_shift,
}
_PACKERS: dict[type, Callable[[Any], Packed]] = {
    Affine: lambda op: (tile.AFFINE, [op.gain, op.offset]),
    Matrix: lambda op: (tile.MATRIX, [v for row in op.rows for v in row]),
    Decode: lambda op: _DECODERS[type(op.curve)](op.curve, op.scale),
    Encode: lambda op: _ENCODERS[type(op.curve)](op.curve, op.scale),
    SlopeOffsetPower: lambda op: (tile.SOP, [*op.slope, *op.offset, *op.power, float(op.clamp)]),
    Saturate: lambda op: (tile.SATURATE, [op.amount, *((0.0, 1.0) if op.clamp else (-_LIMIT, _LIMIT))]),
    SmoothOperation: lambda op: (tile.SMOOTH_FIT, [*_space_row(op.space), *op.luminance]),
    DistanceOperation: lambda op: (tile.DISTANCE_FIT, [*THRESHOLDS, *SCALES, POWER, 1 / POWER]),
    Limit: lambda op: (tile.LIMIT, [op.low, op.high]),
    Hold: lambda op: (tile.HOLD, [float(op.slot)]),
    Blend: lambda op: (tile.BLEND, [op.strength, float(op.slot), float(op.selected)]),
    Tap: lambda op: (tile.TAP, [float(op.number)]),
    ShowSelection: lambda op: (tile.SHOW_SELECTION, []),
    LuminancePower: lambda op: (tile.LUMINANCE_POWER, [*op.weights, op.exponent, op.scale]),
    BalanceHighlights: lambda op: (tile.HIGHLIGHTS, [*op.gains, op.START, 1 / (op.END - op.START)]),
}


def compile_operations(operations: Sequence[Operation]) -> Program:
    """The program of a list of operations; TypeError for one the engine does not know."""
    parts: list[Tiles | Table | Hold | Blend | Select] = []
    packed: list[Packed] = []
    tables = Tables()
    listed = folded(operations)
    apart = _around_tables(listed)
    for index, operation in enumerate(listed):
        between = operation if index in apart else _table_of(operation)
        if between is None:
            packed.append(_pack(operation, tables))
            continue
        if packed:
            parts.append(_tiles(packed, tables))
        parts.append(between)  # type: ignore[arg-type]
        packed, tables = [], Tables()
    if packed or not parts:
        parts.append(_tiles(packed, tables))
    return Program(tuple(parts))


def _tiles(packed: list[Packed], tables: Tables) -> Tiles:
    codes = np.array([code for code, _ in packed], dtype=np.int32)
    rows = np.zeros((len(packed), tile.ROW), dtype=np.float32)
    for row, (_, values) in zip(rows, packed, strict=True):
        row[: len(values)] = values
    return Tiles(codes, rows, tables.joined())


def _around_tables(operations: Sequence[Operation]) -> set[int]:
    """Places of the Holds, Blends and Selects between which a table stands: what they keep must outlive a run of the tile engine."""
    apart: set[int] = set()
    held: dict[int, int] = {}
    selected = -1
    for index, operation in enumerate(operations):
        if isinstance(operation, Hold):
            held[operation.slot] = index
        elif isinstance(operation, Select):
            selected = index
        elif isinstance(operation, Blend):
            start = held.get(operation.slot, 0)
            if any(_table_of(inner) for inner in operations[start:index]):
                apart |= {start, index} | ({selected} if operation.selected else set())
    return apart


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


def _pack(operation: Operation, tables: Tables) -> Packed:
    if type(operation) in _WITH_TABLES:
        return _WITH_TABLES[type(operation)](operation, tables)
    try:
        packer = _PACKERS[type(operation)]
    except KeyError:
        raise TypeError(f"The tile engine has no code for {type(operation).__name__}.") from None
    return packer(operation)
