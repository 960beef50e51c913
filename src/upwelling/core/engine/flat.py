"""Operations that hold others, laid flat for the tile engine: what is mixed in later waits in a slot."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from upwelling.core.curves.table import TableCurve
from upwelling.core.operations import ApplyLut, Aside, Decode, FrameOperation, Mixed, MixRule, Operation, ShowMatte

SLOTS = 2
"""Values that a tile can hold at once."""


@dataclass(frozen=True)
class Hold:
    """Keeps the present value in a slot."""

    slot: int


@dataclass(frozen=True)
class Blend:
    """held + strength·(now − held), the strength times the matte's weight where one was set."""

    strength: float
    slot: int
    by_matte: bool = False


@dataclass(frozen=True)
class MixBy:
    """Applies a rule to what is held and what is now."""

    rule: MixRule
    slot: int


@dataclass(frozen=True)
class ShowWeight:
    """Replaces the pixel by the matte's weight."""


def flattened(operations: Sequence[Operation]) -> list[Any]:
    """The same as a flat list: the vocabulary's operations, mattes that set the weight, and what stands above.

    What cannot be done within a tile stays as it is: ``stands_alone``.
    """
    flat: list[Any] = []
    for operation in operations:
        if isinstance(operation, Mixed):
            flat += _mixed(operation)
        elif stands_alone(operation):
            flat.append(operation)
        elif isinstance(operation, Aside):
            slot = _height(operation.operations)
            flat += [Hold(slot), *flattened(operation.operations), Blend(0.0, slot)]
        elif isinstance(operation, ShowMatte):
            flat += [operation.matte, ShowWeight()]
        else:
            flat.append(operation)
    return flat


def _mixed(operation: Mixed) -> list[Any]:
    into, back = flattened(operation.into), flattened(operation.back)
    if stands_alone(operation):
        # Light that a matte is judged on is needed after it was encoded: who mixes then encodes.
        return [operation, *back] if operation.matte else [*into, operation, *back]
    slot = _height(operation.inside)
    return [
        *([operation.matte] if operation.matte else ()),
        *into,
        Hold(slot),
        *back,
        *flattened(operation.inside),
        *into,
        *([MixBy(operation.rule, slot)] if operation.rule else ()),
        *(() if operation.taken_whole else (Blend(operation.strength, slot, operation.matte is not None),)),
        *back,
    ]


def stands_alone(operation: Operation) -> bool:
    """Whether an operation runs on a whole array by itself, between runs of the tile engine."""
    if isinstance(operation, Mixed):
        mattes = [one for one in _inner(operation.inside) if isinstance(one, Mixed) and one.matte]
        return (
            _is_high(operation.inside)
            or any(map(stands_alone, operation.inside))
            or (operation.matte is not None and (operation.matte.softened or bool(mattes)))
        )
    if isinstance(operation, Aside):
        return _is_high(operation.operations) or any(map(stands_alone, operation.operations))
    if isinstance(operation, ShowMatte):
        return operation.matte.softened
    return isinstance(operation, FrameOperation | ApplyLut) or (
        isinstance(operation, Decode) and isinstance(operation.curve, TableCurve)
    )


def _is_high(operations: Sequence[Operation]) -> bool:
    return _height(operations) >= SLOTS


def _height(operations: Sequence[Operation]) -> int:
    """How many slots operations need at once."""
    return max((1 + _height(_held_by(one)) for one in operations if isinstance(one, Mixed | Aside)), default=0)


def _held_by(operation: Mixed | Aside) -> tuple[Operation, ...]:
    return operation.inside if isinstance(operation, Mixed) else operation.operations


def _inner(operations: Sequence[Operation]) -> list[Operation]:
    """Operations and all that they hold."""
    held = [_inner(_held_by(one)) for one in operations if isinstance(one, Mixed | Aside)]
    return [*operations, *(one for some in held for one in some)]
