"""The exact path: a list of operations run in float64."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.operations.base import FrameOperation, Operation, Place, PlacedOperation, check_place, needs_of
from upwelling.core.operations.mixed import Mixed, ShowMatte
from upwelling.core.operations.time_mean import TimeMean


def run_reference(operations: Sequence[Operation], rgb: Float64, place: Place | None = None) -> Float64:
    """The operations one after the other in float64; ``rgb`` (…, 3), or a picture (H, W, 3) that lies at ``place``.

    Raises PlaceNeeded when an operation needs more than a pixel's own value and no place is given.
    """
    value = np.asarray(rgb, dtype=np.float64)
    check_place(needs_of(operations), value.shape, place)
    for operation in operations:
        if isinstance(operation, Mixed):
            value = _mixed(operation, value, place)
        elif isinstance(operation, ShowMatte):
            value = np.repeat(operation.matte.weight(value, place)[..., None], 3, axis=-1)
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


def _mixed(operation: Mixed, value: Float64, place: Place | None) -> Float64:
    before = run_reference(operation.into, value)
    after = run_reference((*operation.back, *operation.inside, *operation.into), before, place)
    if operation.rule is not None:
        after = operation.rule.mixed(before, after)
    if not operation.taken_whole:
        weight = operation.matte.weight(value, place)[..., None] if operation.matte else 1.0
        after = before + operation.strength * weight * (after - before)
    return run_reference(operation.back, after)
