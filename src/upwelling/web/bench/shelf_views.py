"""The shelf of references: its page, what is put there and taken away, and its pictures."""

from __future__ import annotations

from django.contrib import messages
from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from upwelling.core.errors import UpwellingError
from upwelling.web.bench.strip import shelf_of
from upwelling.web.bench.together import led_by
from upwelling.web.bench.views import previewed
from upwelling.web.common.downloads import picture_file
from upwelling.web.common.requests import Refused, json_body, text_of, whole, whole_or
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.models import ShelfReference, Shot
from upwelling.web.footage.pictures import thumbnail_file
from upwelling.web.footage.shelf import offered_marks, put_on_shelf, shelve_mark, take_from_shelf
from upwelling.web.footage.shot_settings import read_settings
from upwelling.web.productions.access import production_view, view_of
from upwelling.web.productions.models import Production


def _reference(production: Production, pk: int) -> ShelfReference:
    return get_object_or_404(
        ShelfReference.objects.select_related("shot__production", "shot__camera"), pk=pk, production=production
    )


reference_view = view_of(_reference)


@require_http_methods(["GET", "POST"])
@production_view(change="POST")
def references(request: HttpRequest, production: Production) -> HttpResponse:
    """The shelf; taking one away, and bringing in another production's Mark."""
    if request.method == "POST":
        try:
            if request.POST.get("what") == "remove":
                take_from_shelf(production, whole_or(request.POST.get("reference")))
            elif request.POST.get("what") == "mark":
                made = shelve_mark(production, request.user, whole_or(request.POST.get("mark")))
                messages.success(request, f"{made.name} is on the shelf.")
            else:
                raise Refused("Choose what to do with the shelf.")
        except UpwellingError as error:
            messages.error(request, str(error))
        return redirect("references", production.slug)
    rows = production.references.select_related("shot__production", "created_by")
    return render(
        request,
        "bench/references.html",
        {"rows": rows, "marks": offered_marks(production, request.user), "first": production.shots.first()},
    )


@require_POST
@shot_view(change=True)
def shelve(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Puts the frame in hand, under the page's settings, on the shelf."""
    body = json_body(request, "reference")
    settings = read_settings(body.get("settings"))
    frame = body.get("frame")
    at = shot.frame if frame is None else whole(frame)
    made = put_on_shelf(production, request.user, shot, at, settings, text_of(body.get("name")))
    return JsonResponse({"shelf": shelf_of(production), "said": f"{made.name} is on the shelf."})


@require_POST
@reference_view()
def preview(request: HttpRequest, production: Production, reference: ShelfReference) -> HttpResponse:
    """As a shot's preview, of this one frame under the settings it was put there with."""
    body = json_body(request, "setting")
    joint = led_by(body.get("together"), production.pk, request.user)
    return previewed(reference.shot, frame_of(reference.shot, reference.frame), reference.shot_settings, body, joint)


@require_GET
@reference_view()
def picture(request: HttpRequest, production: Production, reference: ShelfReference) -> FileResponse:
    """A small picture of it."""
    place = thumbnail_file(reference.shot, settings_shown=reference.shot_settings, number=reference.frame)
    return picture_file(place, "private, max-age=600")
