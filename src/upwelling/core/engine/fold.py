"""Fewer operations with the same result: neighbouring matrices and gains become one matrix, an undone encoding
vanishes.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from upwelling.core.curves.camera_log import CameraLog
from upwelling.core.operations import Affine, Decode, Encode, Matrix, Operation


def folded(operations: Sequence[Operation]) -> list[Operation]:
    """The same function in fewer operations; order is kept, and nothing moves across what is held and mixed in."""
    kept: list[Operation] = []
    for operation in operations:
        joined = _joined(kept[-1], operation) if kept else None
        if joined is None:
            kept.append(operation)
            continue
        kept.pop()
        if not _is_identity(joined):
            kept.append(joined)
    return [operation for operation in kept if not _is_identity(operation)]


def _joined(first: Operation, then: Operation) -> Operation | None:
    """One operation that does both, or None where there is none."""
    if isinstance(first, Decode) and isinstance(then, Encode):
        # Only curves that hold every real number: others cut something off that must stay cut.
        same = first.curve == then.curve and first.scale == then.scale and isinstance(first.curve, CameraLog)
        return Affine(1.0) if same else None
    if isinstance(first, Affine) and isinstance(then, Affine):
        return Affine(first.gain * then.gain, first.offset * then.gain + then.offset)
    before, after = _as_matrix(first), _as_matrix(then)
    return Matrix.of(after @ before) if before is not None and after is not None else None


def _as_matrix(operation: Operation) -> np.ndarray | None:
    if isinstance(operation, Matrix):
        return np.array(operation.rows)
    if isinstance(operation, Affine) and operation.offset == 0:
        return np.eye(3) * operation.gain
    return None


def _is_identity(operation: Operation) -> bool:
    if isinstance(operation, Affine):
        return operation.gain == 1 and operation.offset == 0
    return isinstance(operation, Matrix) and operation.rows == ((1, 0, 0), (0, 1, 0), (0, 0, 1))
