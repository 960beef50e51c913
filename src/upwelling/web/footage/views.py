"""The production's page, settling encodings, and thumbnails."""

from __future__ import annotations

from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST
from pydantic import ValidationError

from upwelling.core.errors import UpwellingError
from upwelling.web.common.downloads import picture_file
from upwelling.web.common.paging import page_of
from upwelling.web.common.requests import wants_json
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.finding import found, shot_finder
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.history import next_state
from upwelling.web.footage.listing import loaded, with_settled
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_at
from upwelling.web.footage.pictures import thumbnail as thumbnail_of
from upwelling.web.footage.pictures import thumbnail_file
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.footage.shots import already_display, set_managed, settle_encoding
from upwelling.web.footage.torture_chart import add_torture_chart
from upwelling.web.productions.access import production_view
from upwelling.web.productions.forms import encoding_choices
from upwelling.web.productions.models import Production


@require_GET
@production_view()
def shots(request: HttpRequest, production: Production) -> HttpResponse:
    """All shots of a production as a list."""
    asked = shot_finder(request.GET, production, "name")
    page = page_of(request, found(asked, with_settled(production)))
    return render(
        request,
        "footage/shots.html",
        {
            "shots": loaded(production, page.object_list),
            "count": production.shots.count(),
            "page": page,
            "finder": asked,
            "cameras": production.cameras.all(),
            "group_names": dict(production.groups.values_list("pk", "name")),
            "choices": encoding_choices("As inherited", production),
            "unsettled": with_settled(production).filter(in_force="").count(),
        },
    )


@require_POST
@shot_view(change=True)
def settle(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Settles the encoding and range of a shot."""
    if "managed" in request.POST:
        set_managed(shot, {"on": True, "off": False}.get(request.POST["managed"]))
    if "display" in request.POST:
        already_display(shot)
    elif "encoding" in request.POST:
        settle_encoding(shot, request.POST["encoding"], request.POST.get("range", ""))
    if wants_json(request):
        return JsonResponse({"encoding": shot.settled_encoding, "thumbnail": thumbnail_url(shot)})
    return redirect("bench", production.slug, shot.pk)


@require_POST
@shot_view(change=True)
def begin_anew(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Gives a shot whose stored settings cannot be read settings at rest; the old state stays in its history."""
    next_state(shot, request.user, ShotSettings(), "Begun anew")
    return redirect("shots", production.slug)


def thumbnail_url(shot: Shot) -> str:
    """The address of a shot's thumbnail; it changes when the picture does.

    Where no path can be made, the file's own signal.
    """
    try:
        version = path_at(shot).fingerprint[:12]
    except (UpwellingError, ValidationError):
        return recorded_url(shot)
    return reverse("thumbnail", args=[shot.production.slug, shot.pk]) + f"?v={version}-{shot.frame}"


def recorded_url(shot: Shot) -> str:
    """The address of the thumbnail of the file's own signal."""
    return (
        reverse("recorded", args=[shot.production.slug, shot.pk])
        + f"?v={shot.sha256[:8]}-{shot.settled.range}-{shot.frame}"
    )


@require_GET
@shot_view()
def picture(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The rendered shot at working size, as JPEG."""
    return HttpResponse(
        thumbnail_of(path_at(shot), frame_of(shot), 960),
        content_type="image/jpeg",
        headers={"Cache-Control": "private, max-age=600"},
    )


@require_GET
@shot_view()
def thumbnail(request: HttpRequest, production: Production, shot: Shot, recorded: bool = False) -> FileResponse:
    """A small picture of the shot, rendered or as recorded, made once and kept."""
    return picture_file(thumbnail_file(shot, recorded=recorded), "private, max-age=86400")


@require_POST
@production_view(change=True)
def add_chart(request: HttpRequest, production: Production) -> HttpResponse:
    """Brings the torture chart in and opens it on the Bench."""
    return redirect("bench", production.slug, add_torture_chart(production, request.user).pk)
