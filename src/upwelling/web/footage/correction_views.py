"""The camera's correction on its page: switching it, taking it away, and pictures of what it does."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.db.models import F, Q, QuerySet
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from upwelling.web.common.downloads import picture_file
from upwelling.web.common.requests import Refused
from upwelling.web.footage.access import camera_view
from upwelling.web.footage.corrections import (
    correction_to_layer,
    exceptions,
    own_matches,
    remove_correction,
    switch_correction,
)
from upwelling.web.footage.listing import IN_ORDER, managed
from upwelling.web.footage.models import Camera, Shot
from upwelling.web.footage.paths import path_of, problem_of
from upwelling.web.footage.pictures import thumbnail_file
from upwelling.web.footage.shot_settings import BARE
from upwelling.web.productions.models import Production

MOST_OFFERED = 300
"""Shots that each of the two menus offers."""
SEEN = {
    "reference": ("What it was matched to", BARE),
    "without": ("This camera without it", BARE.model_copy(update={"correction_on": False})),
    "with": ("This camera with it", BARE),
}


def correction_facts(camera: Camera) -> dict[str, Any]:
    """What the camera's page says of its correction, and what it may be matched by."""
    held = camera.own_correction
    pictures = []
    if held is not None and held.on and camera.corrected_from and camera.corrected_to:
        for which, (title, settings) in SEEN.items():
            shot = _seen(camera, which)
            address = reverse("corrected", args=[camera.production.slug, camera.pk, which])
            version = path_of(shot, settings).fingerprint[:12] if not problem_of(shot) else ""
            pictures.append({"title": title, "shot": shot.name, "address": f"{address}?v={version}-{shot.frame}"})
    left_out = exceptions(camera)
    return {
        "held": held,
        "pictures": pictures,
        "left_out": [state.shot for state in left_out[:12]],
        "left_out_more": max(left_out.count() - 12, 0),
        "twice": own_matches(camera) if held is not None else 0,
        "mine": _offered(managed(camera.production).filter(camera=camera)),
        "others": _offered(managed(camera.production).exclude(camera=camera)),
    }


def _offered(shots: QuerySet[Any]) -> list[dict[str, Any]]:
    """Number, name, camera and mark of shots for a menu: marked charts first, those without a camera last."""
    rows = shots.annotate(marked=Q(chart_corners__isnull=False), of=F("camera__name"))
    ordered = rows.order_by(F("camera").asc(nulls_last=True), F("marked").desc(), *IN_ORDER)
    return list(ordered.values("pk", "name", "of", "marked")[:MOST_OFFERED])


def _seen(camera: Camera, which: str) -> Shot:
    shot = camera.corrected_to if which == "reference" else camera.corrected_from
    if shot is None:
        raise Http404
    shot.production = camera.production
    return shot


@require_POST
@camera_view(change=True)
def change_correction(request: HttpRequest, production: Production, camera: Camera) -> HttpResponse:
    """Switches it for all shots of the camera, or takes it away."""
    what = request.POST.get("what")
    if what in ("on", "off"):
        switch_correction(camera, what == "on")
        messages.success(request, f"{camera.name}’s correction is {what} for all its shots.")
    elif what == "layer":
        steps = correction_to_layer(camera, request.user)
        messages.success(
            request,
            f"{steps} of the correction are the first steps of {camera.name}’s trim now, to be worked at by hand; no "
            "picture has changed.",
        )
    elif what == "remove":
        remove_correction(camera)
        messages.success(request, f"{camera.name} has no correction any more.")
    else:
        raise Refused("Choose whether to switch the correction or to take it away.")
    return redirect("camera", production.slug, camera.pk)


@require_GET
@camera_view()
def corrected(request: HttpRequest, production: Production, camera: Camera, which: str) -> FileResponse:
    """A small picture: what the camera was matched to, or the shot it was found with, without or with it."""
    if which not in SEEN:
        raise Http404
    return picture_file(thumbnail_file(_seen(camera, which), settings_shown=SEEN[which][1]), "private, max-age=86400")
