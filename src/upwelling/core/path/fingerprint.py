"""What identifies the arithmetic of a path: a hash over what acts in it. Labels, and what rests, are left out: a path
keeps its fingerprint when it is renamed or when a kind of step learns something new.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from upwelling.core.path.recipe import ARITHMETIC, without_tables
from upwelling.core.rendering import AnyRendering
from upwelling.core.steps import AnyStep
from upwelling.core.steps.group import runs_of

if TYPE_CHECKING:
    from upwelling.core.path.path import Path

_LABELS = ("id", "name", "note", "output", "group")
_REST: tuple[tuple[str, Any], ...] = (("strength", 1.0), ("mix", "replace"), ("limit", None), ("tracks", []))
"""A step that uses none of these keeps the fingerprint it had before there were any."""


def fingerprint_of(path: Path, *, only_acting: bool = True) -> str:
    """SHA-256 over the path's recipe; without ``only_acting`` as it was before what does not act was left out of it."""
    body = path.model_dump(mode="json")
    body["look"].pop("name")
    _input_and_rendering(path, body, only_acting)
    strengths = _group_strengths(path)
    body["trim"].pop("groups")
    if strengths:
        body["trim"]["mixed"] = strengths
    for name in ("trim", "look"):
        body[name] = _stage(path, name, body[name], only_acting)
    text = json.dumps({"arithmetic": ARITHMETIC, **without_tables(body)}, sort_keys=True, separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()


def _input_and_rendering(path: Path, body: dict[str, Any], only_acting: bool) -> None:
    over, correction = path.rendering.look, path.input.correction
    if over is None or not over.acts or not path.rendering.on:
        body["rendering"].pop("look")
    given = body["input"].pop("correction")
    if correction is not None and correction.acts and path.input.on:
        body["input"]["correction"] = correction.numbers(given)
    if only_acting and not path.rendering.on:
        body["rendering"].pop("method")
    _drop_resting(path.rendering.method, body["rendering"].get("method", {}))


def _stage(path: Path, name: str, body: dict[str, Any], only_acting: bool) -> dict[str, Any]:
    """A stage with the steps that are for this output."""
    stage = path.trim if name == "trim" else path.look
    acts = stage.on and getattr(stage, "strength", 1.0) > 0
    steps = [
        _step(step, dumped)
        for step, dumped in zip(stage.steps, body["steps"], strict=True)
        if not only_acting or (acts and step.strength > 0 and path.is_on(step) and not step.changes_nothing)
    ]
    mine = [step for step in steps if step["output"] in ("", path.display.output)]
    if only_acting and not mine:
        body = {**body, "on": True, **({"strength": 1.0} if name == "look" else {})}
    return {**body, "steps": [_unlabelled(step) for step in mine]}


def _step(step: AnyStep, dumped: dict[str, Any]) -> dict[str, Any]:
    dumped["limit"] = step.limit.numbers(dumped["limit"]) if step.limit else None
    _drop_resting(step, dumped)
    return dumped


def _unlabelled(step: dict[str, Any]) -> dict[str, Any]:
    resting = {name for name, rest in _REST if step[name] == rest}
    return {name: value for name, value in step.items() if name not in _LABELS and name not in resting}


def _group_strengths(path: Path) -> list[list[Any]]:
    """Groups that are mixed in: how strongly, and where they stand among the steps that act."""
    found: list[list[Any]] = []
    at = 0
    for group, steps in runs_of(path.trim.steps, path.trim.groups):
        count = _acting(path, steps)
        if group is not None and group.acts and group.strength < 1 and count:
            found.append([at, count, group.strength])
        at += count
    return found


def _acting(path: Path, steps: Sequence[AnyStep]) -> int:
    return sum(path.takes(step) and step.strength > 0 and not step.changes_nothing for step in steps)


def _drop_resting(made: AnyStep | AnyRendering, dumped: dict[str, Any]) -> None:
    """Takes parameters that came later to a kind and are at rest out of what is fingerprinted: older ones lack them."""
    for field in made.later:
        if getattr(made, field) == type(made).model_fields[field].default:
            dumped.pop(field, None)
