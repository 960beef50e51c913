"""Operations written as process nodes of the Common LUT Format: by its formulas, and curves it has none for as 1D
tables over all halfs.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Any, Protocol

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.colour.oklab import LAB_TO_ROOT, ROOT_TO_LAB
from upwelling.core.curves.camera_log import CameraLog
from upwelling.core.curves.segmented_power import Identity, PurePower
from upwelling.core.lut import Lut1D
from upwelling.core.lut.process import (
    HALFS,
    CdlNode,
    ExponentNode,
    LogNode,
    LogParams,
    LogStyle,
    MatrixNode,
    Node,
    TableNode,
)
from upwelling.core.operations import (
    Affine,
    ChannelCurves,
    ColourShift,
    Decode,
    Encode,
    Matrix,
    Operation,
    Saturate,
    SlopeOffsetPower,
)

TOE_AGREES = 2e-6
"""Code by which a published toe may miss the logarithm at the break and still be written as a formula, which has them
meet.
"""


class Channelwise(Protocol):
    """What is done to each channel by itself: an operation, or a coding of light."""

    def apply(self, rgb: Float64, /) -> Any: ...


def native_nodes(operations: Sequence[Operation], curves: bool = True) -> list[Node] | None:
    """The nodes that do exactly what the operations do, or None when one of them mixes channels in a way the format has
    no node for.

    ``curves``: a channel's curve without a formula may be a table of 65,536 entries, one for each half; between two of
    them the curve is a straight line over a 2048th of the value.
    """
    nodes: list[Node] = []
    for operation in operations:
        made = _nodes_of(operation)
        if made is None and curves and isinstance(operation, Decode | Encode | ChannelCurves):
            made = [half_table(operation)]
        if made is None:
            return None
        last = nodes[-1] if nodes else None
        if (
            isinstance(operation, Saturate)
            and isinstance(last, CdlNode)
            and last.saturation == 1
            and _clamps(last) == operation.clamp
        ):
            nodes[-1] = replace(last, saturation=operation.amount)
        else:
            nodes += made
    return nodes


def half_table(operation: Channelwise) -> TableNode:
    """A channelwise operation as a table indexed by the bits of a half; bits that are no number count as 0, infinities
    as the largest half.
    """
    halfs = np.arange(HALFS, dtype=np.uint16).view(np.float16).astype(np.float64)
    halfs = np.nan_to_num(halfs, nan=0.0, posinf=65504.0, neginf=-65504.0)
    with np.errstate(all="ignore"):
        values = operation.apply(np.repeat(halfs[:, None], 3, axis=1))
    return TableNode(Lut1D(np.clip(np.nan_to_num(values), -1e38, 1e38).astype(np.float32)), half=True)


def _clamps(node: CdlNode) -> bool:
    return not node.style.endswith("NoClamp")


def _gain(gain: float, offset: float = 0.0) -> MatrixNode:
    return MatrixNode(((gain, 0.0, 0.0, offset), (0.0, gain, 0.0, offset), (0.0, 0.0, gain, offset)))


def _nodes_of(operation: Operation) -> list[Node] | None:
    match operation:
        case Affine():
            return [_gain(operation.gain, operation.offset)]
        case Matrix():
            return [_matrix(operation.rows)]
        case SlopeOffsetPower():
            return [
                CdlNode(
                    operation.slope, operation.offset, operation.power, 1.0, "Fwd" if operation.clamp else "FwdNoClamp"
                )
            ]
        case Saturate():
            return [CdlNode(saturation=operation.amount, style="Fwd" if operation.clamp else "FwdNoClamp")]
        case ColourShift() if operation.scales_chroma_alone:
            return _chroma(operation)
        case Decode():
            curve = _curve(operation.curve, decode=True)
            return None if curve is None else [*curve, *([_gain(operation.scale)] if operation.scale != 1 else [])]
        case Encode():
            curve = _curve(operation.curve, decode=False)
            return None if curve is None else [*([_gain(1 / operation.scale)] if operation.scale != 1 else []), *curve]
    return None


def _chroma(shift: ColourShift) -> list[Node]:
    """Oklab's chroma times one number: a matrix among the cube roots of cone responses, which keep their sign."""
    amount = 1.0 if shift.amount is None else shift.amount
    cube = (3.0, 3.0, 3.0)
    among_roots = LAB_TO_ROOT @ np.diag((1.0, amount, amount)) @ ROOT_TO_LAB
    return [
        _matrix(shift.to_lms),
        ExponentNode("basicMirrorRev", cube),
        _matrix(Matrix.of(among_roots).rows),
        ExponentNode("basicMirrorFwd", cube),
        _matrix(Matrix.of(np.linalg.inv(np.array(shift.to_lms))).rows),
    ]


def _matrix(rows: Iterable[tuple[float, float, float]]) -> MatrixNode:
    return MatrixNode(tuple((*row, 0.0) for row in rows))


def _curve(curve: object, decode: bool) -> list[Node] | None:
    if isinstance(curve, Identity):
        return []
    if isinstance(curve, PurePower):
        g = curve.exponent
        return [ExponentNode("basicMirrorFwd" if decode else "basicMirrorRev", (g, g, g))]
    if not isinstance(curve, CameraLog):
        return None
    params = LogParams(
        2.0,
        curve.log_slope,
        curve.log_offset,
        curve.linear_slope,
        curve.linear_offset,
        curve.break_linear,
        curve.toe_slope,
    )
    if curve.linear_slope * curve.break_linear + curve.linear_offset <= 0:
        return None
    _, offset, code = params.toe()
    if abs(offset - curve.toe_offset) > TOE_AGREES or abs(code - curve.break_code) > TOE_AGREES:
        return None
    style: LogStyle = "cameraLogToLin" if decode else "cameraLinToLog"
    return [LogNode(style, (params, params, params))]
