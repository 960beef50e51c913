"""The way back: display light to the scene light that a rendering makes it from."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.colour.primaries import Adaptation, Primaries
from upwelling.core.errors import BadValue
from upwelling.core.operations import Affine, Decode, Encode, LuminancePower, Matrix, Operation
from upwelling.core.operations.film import Negative, Print
from upwelling.core.outputs import Output
from upwelling.core.rendering.base import ToneMap
from upwelling.core.rendering.bt2446_a import MethodA
from upwelling.core.rendering.fits.distance import DistanceOperation
from upwelling.core.rendering.fits.smooth import SmoothOperation
from upwelling.core.rendering.limit import Limit
from upwelling.core.rendering.rise_operation import RiseOperation
from upwelling.core.rendering.tone_scale import ToneScale


def _undo_power(op: LuminancePower, rgb: Float64) -> Float64:
    """rgb = x·scale·Y^e with Y of x: Y of rgb is scale·Y^(1 + e)."""
    y = (rgb @ np.array(op.weights))[..., None] / op.scale
    before = np.maximum(y, 1e-30) ** (1 / (1 + op.exponent))
    return np.asarray(np.where(y > 0, rgb / (op.scale * before**op.exponent), 0.0))


_UNDO: dict[type, Callable[[Any, Float64], Float64]] = {
    Affine: lambda op, rgb: (rgb - op.offset) / op.gain,
    Matrix: lambda op, rgb: rgb @ np.linalg.inv(np.array(op.rows)).T,
    Encode: lambda op, rgb: op.curve.to_linear(rgb) * op.scale,
    Decode: lambda op, rgb: op.curve.from_linear(rgb / op.scale),
    LuminancePower: _undo_power,
    Limit: lambda op, rgb: rgb,
    **dict.fromkeys(
        (ToneScale, MethodA, Negative, Print, RiseOperation, SmoothOperation), lambda op, rgb: op.undo(rgb)
    ),
    DistanceOperation: lambda op, rgb: op.restored(rgb),
}


def undo_operations(operations: Sequence[Operation], rgb: Float64) -> Float64:
    """Values before ``operations``, exact where nothing was cut off; raises BadValue for what has no way back."""
    value = np.asarray(rgb, dtype=np.float64)
    for operation in reversed(operations):
        try:
            value = _UNDO[type(operation)](operation, value)
        except ValueError as error:
            raise BadValue(
                f"This rendering has no way back: {error}. Choose another setting for what the curve is on."
            ) from None
    return value


def to_scene(
    method: ToneMap, rgb_relative: Float64, working: Primaries, target: Output, adaptation: Adaptation
) -> Float64:
    """Scene-linear working light (…, 3) that ``method`` shows as ``rgb_relative``; light at the peak gives the least
    that reaches it.
    """
    return undo_operations(method.operations(working, target, adaptation), rgb_relative)
