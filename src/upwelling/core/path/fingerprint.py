"""What identifies the arithmetic of a path: a hash over what acts in it. Labels, and what rests, are left out: a path
keeps its fingerprint when it is renamed or when a kind of step learns something new.
"""

from __future__ import annotations

import hashlib
import json
from typing import TYPE_CHECKING, Any

from upwelling.core.outputs import Output
from upwelling.core.path.layers import LAYERS, Layer, LayerKind
from upwelling.core.path.recipe import ARITHMETIC, without_tables
from upwelling.core.rendering import AnyRendering
from upwelling.core.steps import AnyStep
from upwelling.core.steps.group import runs_of

if TYPE_CHECKING:
    from upwelling.core.path.path import Path

_FIRST_LAYERS = ("trim", "look")
_LABELS = ("id", "name", "note", "output", "group")
_REST: tuple[tuple[str, Any], ...] = (("strength", 1.0), ("mix", "replace"), ("limit", None), ("tracks", []))
"""A step that uses none of these keeps the fingerprint it had before there were any."""


def fingerprint_of(path: Path, *, only_acting: bool = True) -> str:
    """SHA-256 over the path's recipe; without ``only_acting`` as it was before what does not act was left out of it."""
    body = path.model_dump(mode="json", exclude={"layers"})
    _input_and_rendering(path, body, only_acting)
    for kind in LAYERS:
        body |= _layer(path, kind, only_acting)
    text = json.dumps({"arithmetic": ARITHMETIC, **without_tables(body)}, sort_keys=True, separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()


def _input_and_rendering(path: Path, body: dict[str, Any], only_acting: bool) -> None:
    if path.camera.raw is not None and not path.camera.raw.moves:
        body["camera"]["raw"]["profile"].pop("along")
        body["camera"]["raw"]["development"].pop("values")
    over, correction = path.rendering.look, path.input.correction
    if over is None or not over.acts or not path.rendering.on:
        body["rendering"].pop("look")
    given = body["input"].pop("correction")
    if correction is not None and correction.acts and path.input.on:
        body["input"]["correction"] = correction.numbers(given)
    if only_acting and not path.rendering.on:
        body["rendering"].pop("method")
    _drop_resting(path.rendering.method, body["rendering"].get("method", {}))


def _layer(path: Path, kind: LayerKind, only_acting: bool) -> dict[str, Any]:
    """A layer by its kind, with the steps that are for this output. What paths had before there were other layers,
    the shot's trim and one Look, is always there.
    """
    layer, target = path.layer(kind), path.target
    acts = layer.acts and (kind in _FIRST_LAYERS or layer.is_for(target))
    dumped = layer.model_dump(mode="json", include={"steps"})["steps"]
    steps = [
        _step(step, row)
        for step, row in zip(layer.steps, dumped, strict=True)
        if not only_acting or (acts and step.strength > 0 and layer.has_on(step) and not step.changes_nothing)
    ]
    mine = [_unlabelled(row) for row in steps if row["output"] in ("", target.name)]
    resting = only_acting and not mine
    if kind not in _FIRST_LAYERS and (resting or not acts):
        return {}
    body: dict[str, Any] = {"steps": mine, "on": True if resting else layer.on}
    if kind != "trim" or (layer.strength < 1 and not resting):
        body["strength"] = 1.0 if resting else layer.strength
    mixed = _group_strengths(layer, target)
    return {kind: body | ({"mixed": mixed} if mixed else {})}


def _step(step: AnyStep, dumped: dict[str, Any]) -> dict[str, Any]:
    dumped["limit"] = step.limit.numbers(dumped["limit"]) if step.limit else None
    _drop_resting(step, dumped)
    return dumped


def _unlabelled(step: dict[str, Any]) -> dict[str, Any]:
    resting = {name for name, rest in _REST if step[name] == rest}
    return {name: value for name, value in step.items() if name not in _LABELS and name not in resting}


def _group_strengths(layer: Layer, target: Output) -> list[list[Any]]:
    """Groups that are mixed in: how strongly, and where they stand among the steps that act."""
    found: list[list[Any]] = []
    at = 0
    for group, steps in runs_of(layer.steps, layer.groups):
        count = sum(layer.takes(s, target) and s.strength > 0 and not s.changes_nothing for s in steps)
        if group is not None and group.acts and group.strength < 1 and count:
            found.append([at, count, group.strength])
        at += count
    return found


def _drop_resting(made: AnyStep | AnyRendering, dumped: dict[str, Any]) -> None:
    """Takes parameters that came later to a kind and are at rest out of what is fingerprinted: older ones lack them."""
    for field in made.later:
        if getattr(made, field) == type(made).model_fields[field].default:
            dumped.pop(field, None)
