"""The shared layers of a shot, from the Bench: what a change would touch, saved, undone, redone, a step moved."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, JsonResponse
from django.views.decorators.http import require_POST

from upwelling.web.bench.hand import IN_HAND
from upwelling.web.bench.layers import asked_kind, held_layer, layers_shown, touched
from upwelling.web.bench.moving import Moved
from upwelling.web.bench.views import state_of
from upwelling.web.common.requests import Refused, json_body, one_of, text_of, whole
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.layer_content import read_content
from upwelling.web.footage.layer_models import SharedLayer, forget_layers
from upwelling.web.footage.layer_services import (
    LayerOutdated,
    check_output,
    layer_for,
    redo_layer,
    save_layer,
    undo_layer,
)
from upwelling.web.footage.models import Shot
from upwelling.web.productions.models import Production


def _answer(shot: Shot, **more: Any) -> JsonResponse:
    """What the page shows of all layers now, and of the shot."""
    fresh = Shot.objects.select_related("camera", "group").get(pk=shot.pk)
    fresh.production = shot.production
    forget_layers(fresh.production)
    return JsonResponse({"layers": layers_shown(fresh), **state_of(fresh), **more})


def _held(shot: Shot, body: dict[str, Any]) -> SharedLayer:
    layer = held_layer(shot, asked_kind(body.get("kind")), text_of(body.get("output")))
    if layer is None:
        raise Refused("That layer holds nothing yet.")
    return layer


@require_POST
@shot_view()
def layer_touches(request: HttpRequest, production: Production, shot: Shot) -> JsonResponse:
    """How many shots a change would touch, and some of them before and after."""
    body = json_body(request, "layer")
    kind = asked_kind(body.get("kind"))
    return JsonResponse(touched(shot, kind, text_of(body.get("output")), read_content(body.get("content"))))


@require_POST
@shot_view(change=True)
def save_shared(request: HttpRequest, production: Production, shot: Shot) -> JsonResponse:
    """A new version for every shot that follows; what comes too late is kept apart, and the page is told."""
    body = json_body(request, "layer")
    kind, output = asked_kind(body.get("kind")), text_of(body.get("output"))
    if kind == "finish":
        check_output(production, output)
    base = None if body.get("base") is None else read_content(body["base"])
    content, label = read_content(body.get("content")), text_of(body.get("label")) or "change"
    layer = layer_for(shot, kind, output)
    try:
        made, together = save_layer(
            layer, request.user, content, number=whole(body.get("number")), label=label, base=base
        )
    except LayerOutdated as error:
        response = _answer(shot, error=str(error))
        response.status_code = 409
        return response
    return _answer(shot, version=made.number, together=together)


@require_POST
@shot_view(change=True)
def undo_shared(request: HttpRequest, production: Production, shot: Shot) -> JsonResponse:
    """One version back, for every shot that follows."""
    undo_layer(_held(shot, json_body(request, "layer")))
    return _answer(shot)


@require_POST
@shot_view(change=True)
def redo_shared(request: HttpRequest, production: Production, shot: Shot) -> JsonResponse:
    """One version on, for every shot that follows."""
    redo_layer(_held(shot, json_body(request, "layer")))
    return _answer(shot)


@require_POST
@shot_view(change=True)
def move_step(request: HttpRequest, production: Production, shot: Shot) -> JsonResponse:
    """Moves a step between the shot's trim and a layer it shares; ``only``: says what that would change, no more."""
    body = json_body(request, "layer")
    origin, to = (one_of(body.get(name), IN_HAND, "trim") for name in ("from", "to"))
    moved = Moved(shot, text_of(body.get("step")), origin, to, text_of(body.get("output")))
    sentence = moved.sentence()
    if body.get("only"):
        return JsonResponse({"sentence": sentence})
    layer = moved.save(request.user, whole(body.get("version")), whole(body.get("number")))
    return _answer(shot, sentence=sentence, moved_to=str(layer))
