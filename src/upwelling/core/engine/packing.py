"""Operations to numbers: each one's opcode and its row of float32 parameters."""

from __future__ import annotations

from typing import Any

from upwelling.core.engine import (  # noqa: F401  each declares its opcodes
    colour_kernel,
    curve_opcodes,
    density_kernel,
    film_kernel,
    highlight_opcodes,
    number_opcodes,
    rise_kernel,
    scale_kernel,
    shape_opcodes,
    zone_kernel,
)
from upwelling.core.engine.registry import DECODED, ENCODED, OPERATIONS, SELECTIONS, Opcode, Row
from upwelling.core.engine.tables import Tables
from upwelling.core.operations import Decode, Encode, Matte

Packed = tuple[Opcode, Row]
JOINS = ("first", "and", "or", "without")


def pack(operation: Any, tables: Tables) -> list[Packed]:
    """The opcodes of an operation with their rows; TypeError for one the engine has none for."""
    if isinstance(operation, Matte):
        return pack_matte(operation, tables)
    if isinstance(operation, Decode | Encode):
        curves = DECODED if isinstance(operation, Decode) else ENCODED
        code, fill = _known(curves, operation.curve)
        return [(code, fill(operation.curve, operation.scale))]
    code, fill = _known(OPERATIONS, operation)
    return [(code, fill(operation, tables))]


def pack_matte(matte: Matte, tables: Tables) -> list[Packed]:
    """A matte that looks at no neighbours: one opcode for each selection, its gamma, and its inverse."""
    rows: list[Packed] = []
    for index, (join, part) in enumerate(matte.parts):
        code, fill = _known(SELECTIONS, part)
        rows.append((code, [float(JOINS.index(join) if index else 0), float(part.invert), *fill(part, tables)]))
    if matte.gamma != 1:
        rows.append((shape_opcodes.selection_gamma, [1 / matte.gamma]))
    if matte.invert:
        rows.append((shape_opcodes.selection_inverse, []))
    return rows


def _known(registry: dict[type, Any], value: Any) -> Any:
    try:
        return registry[type(value)]
    except KeyError:
        raise TypeError(f"The tile engine has no code for {type(value).__name__}.") from None
