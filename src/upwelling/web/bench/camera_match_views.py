"""Matching one camera to another, from the camera's page: by a shot of each."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from upwelling.core.errors import UpwellingError
from upwelling.web.bench.match_views import LANE
from upwelling.web.bench.matching import corrected
from upwelling.web.common.requests import Refused, one_of, whole_or
from upwelling.web.footage.access import camera_view
from upwelling.web.footage.corrections import keep_correction
from upwelling.web.footage.models import Camera, Shot
from upwelling.web.productions.models import Production

BY = ("chart", "scene")
"""Methods that tell what a camera does, whatever it is pointed at."""


@require_POST
@camera_view(change=True)
def match_camera(request: HttpRequest, production: Production, camera: Camera) -> HttpResponse:
    """Finds what brings the camera to another and keeps it with the camera; what it had is replaced."""
    method = one_of(request.POST.get("method"), BY, "chart")
    try:
        mine, its = (_shot(production, request.POST.get(name)) for name in ("shot", "reference"))
        with LANE.turn(request.user.pk or 0):
            made = corrected(camera, mine, its, method)
    except UpwellingError as error:
        messages.error(request, f"{camera.name} was not matched. {error}")
    else:
        keep_correction(camera, made, mine, its)
        messages.success(request, f"{made.name} is {camera.name}’s correction now; its shots follow it.")
    return redirect("camera", production.slug, camera.pk)


def _shot(production: Production, pk: str | None) -> Shot:
    found = production.shots.select_related("camera", "production").filter(pk=whole_or(pk)).first()
    if found is None:
        raise Refused("Choose a shot of this camera, and one of the camera that it is to match.")
    return found
