"""The exact path: a list of operations run in float64."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.operations.base import FrameOperation, Operation, Place, PlacedOperation, check_place, needs_of
from upwelling.core.operations.matte import Matte, MixBy
from upwelling.core.operations.selection import Blend, Hold, ShowSelection
from upwelling.core.operations.time_mean import TimeMean


def run_reference(operations: Sequence[Operation], rgb: Float64, place: Place | None = None) -> Float64:
    """The operations one after the other in float64; ``rgb`` (…, 3), or a picture (H, W, 3) that lies at ``place``.

    Raises PlaceNeeded when an operation needs more than a pixel's own value and no place is given.
    """
    value = np.asarray(rgb, dtype=np.float64)
    check_place(needs_of(operations), value.shape, place)
    held, weight = [value, value], np.ones(value.shape[:-1])
    for operation in operations:
        if isinstance(operation, Hold):
            held[operation.slot] = value
        elif isinstance(operation, Matte):
            weight = operation.weight(value, place)
        elif isinstance(operation, MixBy):
            value = operation.mixed(held[0], value)
        elif isinstance(operation, ShowSelection):
            value = np.repeat(weight[..., None], 3, axis=-1)
        elif isinstance(operation, Blend):
            before = held[operation.slot]
            share = operation.strength * (weight[..., None] if operation.selected else 1.0)
            value = before + share * (value - before)
        elif isinstance(operation, TimeMean):
            assert place is not None
            codes = operation.codes(value.shape, place)
            value = operation.mixed(value, [run_reference(operation.before, code, place) for code in codes])
        elif isinstance(operation, (PlacedOperation, FrameOperation)):
            assert place is not None
            value = operation.apply_at(value, place)
        else:
            value = operation.apply(value)
    return value
