"""Operations to numbers: each one's opcode, its row of float32 parameters, and tables of its curves."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any, get_args

import numpy as np

from upwelling.core.curves.aces_log import PureLog
from upwelling.core.curves.camera_log import CameraLog
from upwelling.core.curves.hlg import HybridLogGamma
from upwelling.core.curves.mirrored_log import MirroredLog
from upwelling.core.curves.power_toe_log import PowerToeLog
from upwelling.core.curves.pq import PerceptualQuantiser
from upwelling.core.curves.segmented_power import Identity, PurePower, SegmentedPower
from upwelling.core.curves.spline import Spline
from upwelling.core.engine import (
    colour_kernel,
    curve_opcodes,
    highlight_opcodes,
    number_opcodes,
    rise_kernel,
    scale_kernel,
    shape_opcodes,
)
from upwelling.core.engine.layout import Opcode
from upwelling.core.engine.scale_kernel import CELLS_A_STOP
from upwelling.core.operations import (
    Affine,
    BalanceHighlights,
    BandGain,
    Blend,
    ChannelCurves,
    ColourShift,
    Decode,
    EllipseSelection,
    Encode,
    Hold,
    LineSelection,
    LuminancePower,
    Matrix,
    Matte,
    MixBy,
    Operation,
    PolygonSelection,
    RadialGain,
    RadialSelection,
    RectangleSelection,
    RootMatrix,
    Saturate,
    Select,
    ShowSelection,
    SlopeOffsetPower,
    Tap,
)
from upwelling.core.operations.highlights import Highlights
from upwelling.core.operations.shapes import ShapeSelection
from upwelling.core.rendering.base import Preserved
from upwelling.core.rendering.bt2446_a import MethodA
from upwelling.core.rendering.fits.distance import POWER, SCALES, THRESHOLDS, DistanceOperation
from upwelling.core.rendering.fits.smooth import SmoothOperation
from upwelling.core.rendering.limit import Limit
from upwelling.core.rendering.rise_operation import RiseOperation
from upwelling.core.rendering.root_space import RootSpace
from upwelling.core.rendering.tone_curve import LOWEST_STOP, ToneCurve
from upwelling.core.rendering.tone_scale import HIGHEST, LOWEST, ToneScale

Packed = tuple[Opcode, list[float]]


def _decode_log(c: CameraLog, s: float) -> Packed:
    return curve_opcodes.log_decode, [
        1 / c.log_slope,
        c.log_offset,
        s / c.linear_slope,
        -s * c.linear_offset / c.linear_slope,
        c.break_code,
        s / c.toe_slope,
        -s * c.toe_offset / c.toe_slope,
    ]


def _encode_log(c: CameraLog, s: float) -> Packed:
    return curve_opcodes.log_encode, [
        c.log_slope,
        c.log_offset,
        c.linear_slope / s,
        c.linear_offset,
        c.break_linear * s,
        c.toe_slope / s,
        c.toe_offset,
    ]


def _mirror(c: MirroredLog, decode: bool, s: float) -> Packed:
    if decode:
        return curve_opcodes.mirror_decode, [
            1 / c.log_slope,
            c.offset_above,
            c.offset_below,
            1 / c.gain,
            *c.code_breaks,
            1 / c.line_slope,
            c.line_offset,
            s,
        ]
    return curve_opcodes.mirror_encode, [
        c.log_slope,
        c.offset_above,
        c.offset_below,
        c.gain,
        c.break_low,
        c.break_high,
        c.line_slope,
        c.line_offset,
        1 / s,
    ]


def _power_toe(c: PowerToeLog, decode: bool, s: float) -> Packed:
    low = 0.0 if c.ends else -_LIMIT
    if decode:
        return curve_opcodes.power_toe_decode, [
            1 / c.log_slope,
            c.log_offset,
            c.linear_offset,
            c.break_code,
            1 / c.toe_gain,
            c.toe_shift,
            1 / c.toe_power,
            low,
            s,
        ]
    return curve_opcodes.power_toe_encode, [
        c.log_slope,
        c.log_offset,
        c.linear_offset,
        c.break_linear,
        c.toe_gain,
        c.toe_shift,
        c.toe_power,
        low,
        1 / s,
    ]


_LIMIT = 3e38
_DECODERS: dict[type, Callable[[Any, float], Packed]] = {
    CameraLog: _decode_log,
    SegmentedPower: lambda c, s: (
        curve_opcodes.segment_decode,
        [c.exponent, c.a, 1 / (1 + c.a), 1 / c.slope, c.break_code, s],
    ),
    PurePower: lambda c, s: (curve_opcodes.power, [c.exponent, 1.0, s]),
    Identity: lambda c, s: (number_opcodes.affine, [s, 0.0]),
    PureLog: lambda c, s: (curve_opcodes.pure_log_decode, [s]),
    PerceptualQuantiser: lambda c, s: (curve_opcodes.pq_decode, [s]),
    HybridLogGamma: lambda c, s: (curve_opcodes.hlg_decode, [s]),
    MirroredLog: lambda c, s: _mirror(c, True, s),
    PowerToeLog: lambda c, s: _power_toe(c, True, s),
}
_ENCODERS: dict[type, Callable[[Any, float], Packed]] = {
    CameraLog: _encode_log,
    SegmentedPower: lambda c, s: (
        curve_opcodes.segment_encode,
        [1 / c.exponent, c.a, 1 + c.a, c.slope, c.break_linear, 1 / s],
    ),
    PurePower: lambda c, s: (curve_opcodes.power, [1 / c.exponent, 1 / s, 1.0]),
    Identity: lambda c, s: (number_opcodes.affine, [1 / s, 0.0]),
    PureLog: lambda c, s: (curve_opcodes.pure_log_encode, [1 / s]),
    PerceptualQuantiser: lambda c, s: (curve_opcodes.pq_encode, [1 / s]),
    HybridLogGamma: lambda c, s: (curve_opcodes.hlg_encode, [1 / s]),
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
    return colour_kernel.channel_curves, [
        tables.add(*sampled),
        CODE_LOW,
        1 / cell,
        float(CODE_CELLS),
        CODE_HIGH,
        *slopes,
    ]


def _table(curve: Spline, low: float, high: float, cells: int, tables: Tables) -> list[float]:
    """Four parameters of a curve over low…high: where it lies, or that it is flat."""
    first = curve.points[0][1]
    if curve.is_flat(first):
        return [-1.0, first, 0.0, 0.0]
    return [tables.add(_sampled((curve,), low, high, cells)), low, cells / (high - low), float(cells)]


def _pack_gain(op: BandGain, tables: Tables) -> Packed:
    low, high = op.gain.points[0][0], op.gain.points[-1][0]
    start = tables.add(_sampled((op.gain,), low, high, STOP_CELLS))
    return colour_kernel.band_gain, [
        float(NORMS.index(op.norm)),
        *op.luminance,
        start,
        low,
        STOP_CELLS / (high - low),
        float(STOP_CELLS),
    ]


JOINS = ("first", "and", "or", "without")
MIXES = ("lighten", "darken", "luminance", "colour")


def _pack_shape(op: ShapeSelection, join: float, tables: Tables) -> Packed:
    turn = np.radians(op.angle)
    row = [join, float(op.invert), op.x, op.y, float(np.cos(turn)), float(np.sin(turn)), op.feather_in, op.feather_out]
    if isinstance(op, EllipseSelection):
        return shape_opcodes.select_ellipse, [*row, op.half_width, op.half_height]
    if isinstance(op, RectangleSelection):
        return shape_opcodes.select_rectangle, [*row, op.half_width, op.half_height, op.radius]
    if isinstance(op, LineSelection):
        return shape_opcodes.select_line, row
    if isinstance(op, RadialSelection):
        mean = (op.half_width * op.half_height) ** 0.5
        return shape_opcodes.select_radial, [*row, 1 / op.half_width, 1 / op.half_height, mean]
    if isinstance(op, PolygonSelection):
        edges = np.array(op.edges, dtype=np.float32).ravel()
        return shape_opcodes.select_polygon, [*row, tables.add(edges), float(len(op.edges))]
    raise TypeError(f"The tile engine has no code for {type(op).__name__}.")


def pack_matte(op: Matte, tables: Tables) -> list[Packed]:
    """A matte that looks at no neighbours: one operation for each selection, and its gamma."""
    rows = []
    for index, (join, part) in enumerate(op.parts):
        how = float(JOINS.index(join) if index else 0)
        if isinstance(part, Select):
            rows.append(_pack_select(part, how))
        elif isinstance(part, ShapeSelection):
            rows.append(_pack_shape(part, how, tables))
        else:
            raise TypeError(f"The tile engine has no code for {type(part).__name__}.")
    if op.gamma != 1:
        rows.append((shape_opcodes.selection_gamma, [1 / op.gamma]))
    return rows


def _pack_highlights(op: Highlights) -> Packed:
    clip, light = np.array(op.clip), np.array(op.light)
    weights, span = np.array(op.weights), 1 / (1 - op.begins)
    rows = (1 / clip, light, 1 / light, clip / light, weights / float(light @ weights))
    return highlight_opcodes.rebuild_highlights, [
        *(float(v) for part in rows for v in part),
        -op.begins * span,
        span,
        float(op.rebuild),
    ]


def _pack_select(op: Select, join: float) -> Packed:
    (low, high, soft), (dark, bright, soft_stops) = op.saturation, op.stops
    return colour_kernel.select, [
        join,
        float(op.invert),
        *(v for row in op.to_lms for v in row),
        op.hue,
        op.half_width + op.hue_soft,
        1 / op.hue_soft,
        low,
        high,
        1 / soft,
        dark,
        bright,
        1 / soft_stops,
    ]


def _pack_shift(op: ColourShift, tables: Tables) -> Packed:
    by_hue = [
        _table(c, 0.0, 360.0, HUE_CELLS, tables) for c in (op.hue_by_hue, op.brightness_by_hue, op.saturation_by_hue)
    ]
    rest = [
        _table(op.saturation_by_saturation, 0.0, 1.0, SATURATION_CELLS, tables),
        _table(op.saturation_by_stops, -10.0, 10.0, STOP_CELLS, tables),
    ]
    others = [
        _table(op.hue_by_saturation, 0.0, 1.0, SATURATION_CELLS, tables),
        _table(op.hue_by_stops, -10.0, 10.0, STOP_CELLS, tables),
        _table(op.brightness_by_saturation, 0.0, 1.0, SATURATION_CELLS, tables),
        _table(op.brightness_by_stops, -10.0, 10.0, STOP_CELLS, tables),
    ]
    matrix = np.array(op.to_lms)
    return colour_kernel.colour_shift, [
        *matrix.ravel(),
        *np.linalg.inv(matrix).ravel(),
        *(v for part in (*by_hue, *rest) for v in part),
        float(op.amount is not None),
        (op.amount or 0.0) - 1,
        *(v for part in others for v in part),
    ]


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
    return scale_kernel.tone_scale, [
        float(PRESERVED.index(op.preserve)),
        *op.luminance,
        op.ceiling,
        op.saturation,
        tables.add(_gain_table(op)),
    ]


@lru_cache(maxsize=64)
def _curve_table(curve: ToneCurve) -> Any:
    cells = _curve_cells(curve)
    values = np.exp2(curve.log2_display(np.linspace(LOWEST_STOP, curve.peak_stops, cells + 1)))
    return np.append(values, values[-1]).astype(np.float32)


def _curve_cells(curve: ToneCurve) -> int:
    return int((curve.peak_stops - LOWEST_STOP) * CELLS_A_STOP)


def _pack_rise(op: RiseOperation, tables: Tables) -> Packed:
    curve, cells = op.curve, _curve_cells(op.curve)
    return rise_kernel.rise, [
        *_space_row(op.space),
        tables.add(_curve_table(curve)),
        LOWEST_STOP,
        cells / (curve.peak_stops - LOWEST_STOP),
        float(cells),
        1 / curve.contrast,
        op.ease_start,
        1 / (curve.peak_stops - op.ease_start),
        op.desaturation,
        float(op.fitted),
    ]


def _pack_method_a(op: MethodA, tables: Tables) -> Packed:
    return scale_kernel.method_a, [tables.add(_luma_table(op)), float(CODE_CELLS)]


_WITH_TABLES: dict[type, Callable[[Any, Tables], Packed]] = {
    RiseOperation: _pack_rise,
    ToneScale: _pack_scale,
    MethodA: _pack_method_a,
    ChannelCurves: _pack_curves,
    BandGain: _pack_gain,
    ColourShift: _pack_shift,
}
_PACKERS: dict[type, Callable[[Any], Packed]] = {
    Affine: lambda op: (number_opcodes.affine, [op.gain, op.offset]),
    Matrix: lambda op: (number_opcodes.matrix, [v for row in op.rows for v in row]),
    RootMatrix: lambda op: (number_opcodes.root_matrix, [v for row in op.rows for v in row]),
    Decode: lambda op: _DECODERS[type(op.curve)](op.curve, op.scale),
    Encode: lambda op: _ENCODERS[type(op.curve)](op.curve, op.scale),
    SlopeOffsetPower: lambda op: (number_opcodes.sop, [*op.slope, *op.offset, *op.power, float(op.clamp)]),
    Saturate: lambda op: (number_opcodes.saturate, [op.amount, *((0.0, 1.0) if op.clamp else (-_LIMIT, _LIMIT))]),
    SmoothOperation: lambda op: (rise_kernel.smooth_fit, [*_space_row(op.space), *op.luminance]),
    DistanceOperation: lambda op: (scale_kernel.distance_fit, [*THRESHOLDS, *SCALES, POWER, 1 / POWER]),
    Limit: lambda op: (scale_kernel.limit, [op.low, op.high]),
    Hold: lambda op: (number_opcodes.hold, [float(op.slot)]),
    Blend: lambda op: (number_opcodes.blend, [op.strength, float(op.slot), float(op.selected)]),
    RadialGain: lambda op: (
        number_opcodes.radial_gain,
        [op.stops, op.x, op.y, op.inner, 1 / (op.outer - op.inner), 1 / op.stretch],
    ),
    MixBy: lambda op: (shape_opcodes.mix_by, [float(MIXES.index(op.mix)), *op.luminance]),
    Tap: lambda op: (number_opcodes.tap, [float(op.number)]),
    ShowSelection: lambda op: (number_opcodes.show_selection, []),
    LuminancePower: lambda op: (number_opcodes.luminance_power, [*op.weights, op.exponent, op.scale]),
    Highlights: _pack_highlights,
    BalanceHighlights: lambda op: (number_opcodes.highlights, [*op.gains, op.START, 1 / (op.END - op.START)]),
}


def pack(operation: Operation, tables: Tables) -> Packed:
    if type(operation) in _WITH_TABLES:
        return _WITH_TABLES[type(operation)](operation, tables)
    try:
        packer = _PACKERS[type(operation)]
    except KeyError:
        raise TypeError(f"The tile engine has no code for {type(operation).__name__}.") from None
    return packer(operation)


def opcodes() -> list[Opcode]:
    """Every operation that the tile engine has machine code for."""
    files = (number_opcodes, curve_opcodes, colour_kernel, scale_kernel, rise_kernel, shape_opcodes)
    return [member for file in files for member in vars(file).values() if isinstance(member, Opcode)]
