"""Shared layers as the Bench shows them: whose they are, what they hold, and what a change of one would touch."""

from __future__ import annotations

import base64
from typing import Any

import numpy as np
from django.db.models import Q

from upwelling.core.errors import UpwellingError
from upwelling.core.outputs import output as output_named
from upwelling.core.path import OUTPUT_KINDS, Path
from upwelling.web.common.requests import Refused
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.layer_content import LayerContent, LayerUse
from upwelling.web.footage.layer_models import SHARED, LayerTable, SharedKind, SharedLayer, layers_of, title_of
from upwelling.web.footage.layer_services import exceptions, followers, layer_ends
from upwelling.web.footage.listing import loaded, numbers_in_order
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_at, shared_layer
from upwelling.web.footage.pictures import thumbnail
from upwelling.web.productions.models import Production

SEEN = 6
"""Shots that are shown before and after a change of a layer."""
SEEN_WIDTH = 132


def layers_shown(shot: Shot) -> dict[str, list[dict[str, Any]]]:
    """By kind, the layers that the shot shares or could; of finishes one for each output that they may be for."""
    production = shot.production
    kept = {
        (one.kind, one.output): one
        for one in production.layers.select_related("camera", "group", "production").filter(
            Q(camera=shot.camera_id or 0) | Q(group=shot.group_id or 0) | Q(camera=None, group=None)
        )
    }
    found: dict[str, list[dict[str, Any]]] = {}
    if shot.camera is not None:
        row = kept.get(("camera_trim", ""))
        found["camera_trim"] = [_shown(production, "camera_trim", shot.camera.name, row, shot.camera.shots.count())]
    if shot.group is not None:
        row = kept.get(("group_trim", ""))
        found["group_trim"] = [_shown(production, "group_trim", shot.group.name, row, shot.group.shots.count())]
    follow = production.shots.count()
    names = dict.fromkeys((*OUTPUT_KINDS, "", *production.rule_set.outputs))
    found["finish"] = [_shown(production, "finish", name, kept.get(("finish", name)), follow) for name in names]
    return found


def _shown(
    production: Production, kind: SharedKind, whose: str, layer: SharedLayer | None, follow: int
) -> dict[str, Any]:
    """One layer for the page: its title, what it holds, how many follow it, and what undo would do."""
    content = layer.content if layer else LayerContent()
    return {
        "kind": kind,
        "output": whose if kind == "finish" else "",
        "title": title_of(kind, whose),
        "of": "of the production" if kind == "finish" else f"of {whose}",
        "content": content.model_dump(mode="json"),
        "follow": follow,
        "apart": len(exceptions(layer)) if layer else 0,
        "acts_for": _acts_for(production, whose) if kind == "finish" else production.rule_set.outputs,
        "history": layer_ends(layer),
    }


def held_layer(shot: Shot, kind: SharedKind, output: str) -> SharedLayer | None:
    """The layer that is kept already, or None."""
    kept = shot.production.layers.select_related("camera", "group", "production")
    if kind == "finish":
        return kept.filter(camera=None, group=None, output=output).first()
    owner = shot.camera if kind == "camera_trim" else shot.group
    return kept.filter(**{"camera" if kind == "camera_trim" else "group": owner}).first() if owner else None


def _unsaved(shot: Shot, kind: SharedKind) -> SharedLayer:
    owner = {"camera": shot.camera} if kind == "camera_trim" else {"group": shot.group} if kind == "group_trim" else {}
    return SharedLayer(production=shot.production, **owner)


def acts_for_main(production: Production, kind: SharedKind, output: str) -> bool:
    """Whether a layer acts for the main output; a finish may be for another."""
    return kind != "finish" or production.rule_set.outputs[0] in _acts_for(production, output)


def _acts_for(production: Production, output: str) -> list[str]:
    """The outputs for which a finish is the one that acts, or would be, once it holds something."""
    table = layers_of(production)
    return [name for name in production.rule_set.outputs if _closest(table, production, name, output)]


def _closest(table: LayerTable, production: Production, name: str, output: str) -> bool:
    custom = production.displays.get(name)
    target = custom.output() if custom else output_named(name)
    order = (name, "HDR" if target.is_hdr else "SDR", "")
    if output not in order:
        return False
    return not any(closer in table.finishes for closer in order[: order.index(output)])


def touched(shot: Shot, kind: SharedKind, output: str, content: LayerContent) -> dict[str, Any]:
    """What a content would change: how many shots, how many take the layer otherwise, and some before and after."""
    layer = held_layer(shot, kind, output) or _unsaved(shot, kind)
    content.layer(kind, "", output)
    numbers = numbers_in_order(followers(layer))
    others = [number for number in numbers if number != shot.pk]
    spread = [others[int(n)] for n in np.linspace(0, len(others) - 1, min(SEEN, len(others)))] if others else []
    # A finish that the main output does not have changes none of these pictures.
    seen = content if acts_for_main(shot.production, kind, output) else None
    shots = loaded(shot.production, dict.fromkeys(spread))
    rows = [row for one in shots if (row := _before_and_after(one, kind, seen))]
    return {"follow": len(numbers), "apart": len(exceptions(layer)) if layer.pk else 0, "rows": rows}


def _before_and_after(shot: Shot, kind: SharedKind, content: LayerContent | None) -> dict[str, str] | None:
    """Two small pictures of a shot, now and with a content, and how it takes the layer; None where it has none."""
    settings = shot.settings
    use = settings.use_of(kind)
    try:
        now = path_at(shot)
        chosen = settings if content is None else settings.model_copy(update={kind: with_content(use, content)})
        after = path_at(shot, chosen=chosen)
        frame = frame_of(shot)
        pictures = [_picture(thumbnail(path, frame, SEEN_WIDTH)) for path in (now, after)]
    except UpwellingError:
        return None
    same = now.fingerprint == after.fingerprint
    said = use.sentence() or ("not touched" if same else "")
    return {"name": shot.name, "said": said, "before": pictures[0], "after": pictures[1]}


def with_content(use: LayerUse, content: LayerContent) -> LayerUse:
    """How a shot would take a layer with another content: a copy of its own stays what it is."""
    return use if use.own is not None else use.model_copy(update={"own": content})


def _picture(data: bytes) -> str:
    return f"data:image/jpeg;base64,{base64.b64encode(data).decode()}"


def asked_kind(value: Any) -> SharedKind:
    """The kind of layer that a page names; raises Refused for another."""
    kind = next((one for one in SHARED if one == value), None)
    if kind is None:
        raise Refused("There is no such layer. Reload the page.")
    return kind


def taken(shot: Shot, kind: SharedKind, path: Path) -> LayerContent:
    """What of a layer acts on the shot now, as a copy of its own would begin."""
    layer = shared_layer(shot, shot.settings, kind, path.target)
    if layer is None:
        return LayerContent()
    return LayerContent(steps=layer.steps, groups=layer.groups, strength=layer.strength, on=layer.on)
