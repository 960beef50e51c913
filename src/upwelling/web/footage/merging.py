"""Two people's changes to one shot, or to one layer, put together where they touched different things."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, TypeVar

from pydantic import ValidationError

from upwelling.core.steps import AnyStep
from upwelling.web.footage.layer_content import LayerContent
from upwelling.web.footage.shot_settings import ShotSettings

S = TypeVar("S", ShotSettings, LayerContent)
_APART = object()
"""Both changed it, and not alike."""


def merged(base: S, mine: S, theirs: S) -> S | None:
    """``theirs`` with what ``mine`` changed since ``base``, step by step and setting by setting; None where both
    changed the same step, setting or order, or where both together are no possible settings.
    """
    body: dict[str, Any] = {}
    for name in type(base).model_fields:
        if name != "steps":
            body[name] = _three(getattr(base, name), getattr(mine, name), getattr(theirs, name))
    steps = _steps(base.steps, mine.steps, theirs.steps)
    if steps is None or any(value is _APART for value in body.values()):
        return None
    try:
        return type(base).model_validate({**body, "steps": steps})
    except ValidationError:
        return None


def _three(base: Any, mine: Any, theirs: Any) -> Any:
    if mine in (base, theirs):
        return theirs
    return mine if theirs == base else _APART


def _steps(base: Sequence[AnyStep], mine: Sequence[AnyStep], theirs: Sequence[AnyStep]) -> list[AnyStep] | None:
    before, here, there = ({step.id: step for step in steps} for steps in (base, mine, theirs))
    kept: dict[str, AnyStep] = {}
    for name in {**there, **here}:
        found = _three(before.get(name), here.get(name), there.get(name))
        if found is _APART:
            return None
        if found is not None:
            kept[name] = found
    order = _order([step.id for step in base], [step.id for step in mine], [step.id for step in theirs])
    return None if order is None else [kept[name] for name in order if name in kept]


def _order(base: list[str], mine: list[str], theirs: list[str]) -> list[str] | None:
    """The order of one who changed it, with what the other added after what it stood behind; None where both did."""
    common = set(base) & set(mine) & set(theirs)
    in_base, in_mine, in_theirs = ([name for name in names if name in common] for names in (base, mine, theirs))
    if in_mine != in_base and in_theirs != in_base and in_mine != in_theirs:
        return None
    first, second = (mine, theirs) if in_theirs == in_base else (theirs, mine)
    order = list(first)
    for place, name in enumerate(second):
        if name not in order:
            behind = next((one for one in reversed(second[:place]) if one in order), None)
            order.insert(order.index(behind) + 1 if behind is not None else 0, name)
    return order
