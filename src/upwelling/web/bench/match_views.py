"""Matching on the Bench: settings with the match in their trim, not saved yet."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_POST

from upwelling.core.match import METHODS
from upwelling.web.bench.matching import Reference, apart, matched, reference_of
from upwelling.web.bench.views import state_of
from upwelling.web.common.lanes import Lane
from upwelling.web.common.requests import json_body, one_of, text_of, whole
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.corrections import give_match, given_said
from upwelling.web.footage.frames import Frame, frame_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.shot_settings import ShotSettings, read_settings
from upwelling.web.productions.models import Production

LANE = Lane(2)


@require_POST
@shot_view(change=True)
def match(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """What brings the shot to what it is compared with."""
    body = json_body(request, "match")
    settings, here, reference = _asked(shot, body)
    method = one_of(body.get("method"), tuple(METHODS), "scene")
    with LANE.turn(request.user.pk or 0):
        return JsonResponse(matched(shot, here, settings, reference, method, (body.get("pairs"), body.get("side"))))


@require_POST
@shot_view()
def difference(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """How far the shot is from what it is compared with, as a picture and a table."""
    settings, here, reference = _asked(shot, json_body(request, "match"))
    with LANE.turn(request.user.pk or 0):
        return JsonResponse(apart(shot, here, settings, reference))


def _asked(shot: Shot, body: dict[str, Any]) -> tuple[ShotSettings, Frame, Reference]:
    """Settings and frame of the shot in hand, and what it is compared with."""
    settings = read_settings(body.get("settings"))
    frame, its = body.get("frame"), body.get("reference_frame")
    reference = reference_of(
        shot, text_of(body.get("kind")), whole(body.get("pk")), None if its is None else whole(its)
    )
    return settings, frame_of(shot, None if frame is None else whole(frame)), reference


@require_POST
@shot_view(change=True)
def give(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The match in the shot's trim becomes its camera's correction, for all its shots."""
    body = json_body(request, "match")
    kind, pk = text_of(body.get("kind")), body.get("pk")
    known = production.shots.filter(pk=whole(pk)).first() if kind == "shot" and pk is not None else None
    shot, made = give_match(shot, request.user, known, version=whole(body.get("version")))
    return JsonResponse({**state_of(shot), "said": given_said(made.name, shot)})
