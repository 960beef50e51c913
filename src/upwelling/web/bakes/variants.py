"""Paths that are not quite a shot's own: a camera's, without the trim, or with what a group adds to it; or a shot's
under a Look that is not given to it.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from upwelling.core.path import Layer, Path
from upwelling.web.common.requests import Refused, text_of, whole_or
from upwelling.web.footage.layer_content import LayerUse
from upwelling.web.footage.layer_models import SHARED
from upwelling.web.footage.listing import loaded
from upwelling.web.footage.look_models import looks_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.productions.models import Production

if TYPE_CHECKING:  # a bake asks here for its path
    from upwelling.web.bakes.models import Bake


def variant_of(wish: dict[str, Any]) -> dict[str, Any]:
    """What a page's wish says of it, as it is kept with a bake."""
    variant: dict[str, Any] = {"trim": "without"} if wish.get("trim") == "without" else {}
    variant |= {"group": "with"} if variant and wish.get("of_group") else {}
    look = text_of(wish.get("look"))
    return variant | ({"look": whole_or(look)} if look else {})


def variant_path(shot: Shot, variant: dict[str, Any], output: str = "") -> Path:
    """The shot's path, changed as the variant says; raises Refused for a Look that is not there."""
    alone = variant.get("trim") == "without"
    # A camera's own path has the camera's correction and what its shots share, whether or not the shot that stands for
    # it takes that otherwise.
    shared = {"correction_on": True, **{kind: LayerUse() for kind in (*SHARED, "group_look")}}
    path = path_of(shot, shot.settings.model_copy(update=shared) if alone else None, output)
    if alone:
        path = path.without_layers("trim", *(() if "group" in variant else ("group_trim", "group_look")))
    if "look" in variant:
        version = looks_of(shot.production).versions.get(variant["look"])
        if version is None:
            raise Refused("That Look is no longer in this production. Choose another.")
        path = path.without_layers("group_look").with_layers(look=Layer(name=version.name, steps=version.steps))
    return path


def with_shots(production: Production, bakes: Sequence[Bake]) -> Sequence[Bake]:
    """The same bakes with their shots read, settings included, in a few queries for all of them."""
    shots = {shot.pk: shot for shot in loaded(production, {one.shot_id for one in bakes if one.shot_id})}
    for one in bakes:
        one.shot = shots.get(one.shot_id or 0)
    return bakes
