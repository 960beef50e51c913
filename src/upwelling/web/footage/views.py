"""The production's page, bringing footage in, thumbnails, and settling encodings."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path as FilePath

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.files import whole_file
from upwelling.web.errors import Refused, wants_json
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.pictures import thumbnail as thumbnail_of
from upwelling.web.footage.services import bring_in, settle_encoding
from upwelling.web.productions.forms import RulesForm, encoding_choices
from upwelling.web.productions.models import production_for


@require_GET
def overview(request: HttpRequest, slug: str) -> HttpResponse:
    """The production's page: the Column of its rules, and its shots."""
    production = production_for(request.user, slug)
    rules = production.rule_set
    shots = list(production.shots.for_listing())
    default = f"Production default ({rules.default_encoding})" if rules.default_encoding else "Not settled"
    return render(request, "footage/overview.html", {
        "production": production, "rules": rules, "role": production.role_of(request.user), "shots": shots,
        "form": RulesForm(initial=RulesForm.initial_of(rules)), "choices": encoding_choices(default),
        "unsettled": sum(1 for shot in shots if not (shot.encoding or rules.default_encoding)),
    })


@require_POST
def upload(request: HttpRequest, slug: str) -> HttpResponse:
    """Takes one file; answers JSON with the shot's address, or the sentence that says what is wrong with it."""
    production = production_for(request.user, slug, change=True)
    given = request.FILES.get("file")
    if given is None:
        raise Refused("No file arrived. Choose one and try again.")
    folder = FilePath(settings.FILES) / "incoming"
    folder.mkdir(parents=True, exist_ok=True)
    handle, name = tempfile.mkstemp(dir=folder, prefix="upload-")
    temporary = FilePath(name)
    try:
        with os.fdopen(handle, "wb") as stream:
            for chunk in given.chunks(4 * 2**20):
                stream.write(chunk)
        shot = bring_in(production, request.user, given.name or "unnamed", temporary)
    finally:
        temporary.unlink(missing_ok=True)
    return JsonResponse({"name": shot.name, "url": reverse("bench", args=[slug, shot.pk])}, status=201)


@require_POST
def settle(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Settles the encoding and range of a shot."""
    production = production_for(request.user, slug, change=True)
    shot = get_object_or_404(Shot, pk=pk, production=production)
    settle_encoding(shot, request.POST.get("encoding", ""), request.POST.get("range", "full"))
    if wants_json(request):
        return JsonResponse({"encoding": shot.settled_encoding, "thumbnail": thumbnail_url(shot)})
    return redirect("bench", slug, pk)


def thumbnail_url(shot: Shot) -> str:
    """The address of a shot's thumbnail; it changes when the picture does."""
    return reverse("thumbnail", args=[shot.production.slug, shot.pk]) + f"?v={shot.path().fingerprint[:12]}"


@require_GET
def thumbnail(request: HttpRequest, slug: str, pk: int) -> FileResponse:
    """A small rendered picture, made once for each fingerprint and kept."""
    production = production_for(request.user, slug)
    shot = get_object_or_404(Shot, pk=pk, production=production)
    path = shot.path()
    place = FilePath(settings.FILES) / "thumbnails" / shot.sha256[:2] / f"{shot.sha256[:24]}-{path.fingerprint[:24]}.jpg"
    if not place.exists():
        place.parent.mkdir(parents=True, exist_ok=True)
        data = thumbnail_of(path, frame_of(shot).working)
        with whole_file(place) as temporary:
            temporary.write_bytes(data)
    return FileResponse(place.open("rb"), content_type="image/jpeg", headers={"Cache-Control": "private, max-age=86400"})
