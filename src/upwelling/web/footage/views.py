"""The production's page, settling encodings, and thumbnails."""

from __future__ import annotations

from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST
from pydantic import ValidationError

from upwelling.core.errors import UpwellingError
from upwelling.web.errors import wants_json
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.looks import looks_of
from upwelling.web.footage.models import Shot, shots_of
from upwelling.web.footage.pictures import thumbnail as thumbnail_of
from upwelling.web.footage.pictures import thumbnail_file
from upwelling.web.footage.services import already_display, next_state, set_managed, settle_encoding
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.footage.torture_chart import add_torture_chart
from upwelling.web.productions.forms import RulesForm
from upwelling.web.productions.models import Production, production_for


def shot_for(request: HttpRequest, slug: str, pk: int, *, change: bool = False) -> tuple[Production, Shot]:
    """A shot for a member of its production; see production_for."""
    production = production_for(request.user, slug, change=change)
    shot = get_object_or_404(Shot.objects.select_related("camera"), pk=pk, production=production)
    shot.production = production
    return production, shot


@require_GET
def overview(request: HttpRequest, slug: str) -> HttpResponse:
    """The production's page: the Column of its rules, and its shots."""
    production = production_for(request.user, slug)
    rules = production.rule_set
    shots = shots_of(production)
    given = looks_of(production).for_all
    return render(request, "footage/overview.html", {
        "production": production, "rules": rules, "role": production.role_of(request.user), "shots": shots,
        "form": RulesForm(initial=RulesForm.initial_of(rules), production=production),
        "look": given, "exceptions": sum(1 for shot in shots if looks_of(production).in_force(shot, shot.listed_settings) != given),
        "unsettled": sum(1 for shot in shots if not shot.settled.is_settled),
    })


@require_POST
def settle(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Settles the encoding and range of a shot."""
    _, shot = shot_for(request, slug, pk, change=True)
    if "managed" in request.POST:
        set_managed(shot, {"on": True, "off": False}.get(request.POST["managed"]))
    if "display" in request.POST:
        already_display(shot)
    elif "encoding" in request.POST:
        settle_encoding(shot, request.POST["encoding"], request.POST.get("range", ""))
    if wants_json(request):
        return JsonResponse({"encoding": shot.settled_encoding, "thumbnail": thumbnail_url(shot)})
    return redirect("bench", slug, pk)


@require_POST
def begin_anew(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Gives a shot whose stored settings cannot be read settings at rest; the old state stays in its history."""
    _, shot = shot_for(request, slug, pk, change=True)
    next_state(shot, request.user, ShotSettings(), "Begun anew")
    return redirect("production", slug)


def thumbnail_url(shot: Shot) -> str:
    """The address of a shot's thumbnail; it changes when the picture does. Where no path can be made, the file's own signal."""
    try:
        version = shot.path().fingerprint[:12]
    except (UpwellingError, ValidationError):
        return recorded_url(shot)
    return reverse("thumbnail", args=[shot.production.slug, shot.pk]) + f"?v={version}-{shot.frame}"


def recorded_url(shot: Shot) -> str:
    """The address of the thumbnail of the file's own signal."""
    return reverse("recorded", args=[shot.production.slug, shot.pk]) + f"?v={shot.sha256[:8]}-{shot.settled.range}-{shot.frame}"


@require_GET
def picture(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """The rendered shot at working size, as JPEG."""
    _, shot = shot_for(request, slug, pk)
    return HttpResponse(thumbnail_of(shot.path(), frame_of(shot).working, 960), content_type="image/jpeg",
                        headers={"Cache-Control": "private, max-age=600"})


@require_GET
def thumbnail(request: HttpRequest, slug: str, pk: int, recorded: bool = False) -> FileResponse:
    """A small picture of the shot, rendered or as recorded, made once and kept."""
    _, shot = shot_for(request, slug, pk)
    return FileResponse(thumbnail_file(shot, recorded=recorded).open("rb"), content_type="image/jpeg",
                        headers={"Cache-Control": "private, max-age=86400"})


@require_POST
def add_chart(request: HttpRequest, slug: str) -> HttpResponse:
    """Brings the torture chart in and opens it on the Bench."""
    production = production_for(request.user, slug, change=True)
    return redirect("bench", slug, add_torture_chart(production, request.user).pk)
