"""Intake: the page where files become shots and each one's encoding is settled."""

from __future__ import annotations

import os
import tempfile
from collections import Counter
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings
from django.contrib import messages
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.errors import UnreadableFile, UpwellingError
from upwelling.core.media import ENDINGS, READABLE
from upwelling.web.errors import Refused, json_body
from upwelling.web.footage import arrivals
from upwelling.web.footage.cameras import accept_proposal, assign, create_camera, proposals
from upwelling.web.footage.inheritance import inherited_encoding
from upwelling.web.footage.models import Arrival, Shot, shots_of
from upwelling.web.footage.services import accept, already_display, reconsider, set_managed, settle_encoding
from upwelling.web.footage.views import recorded_url, thumbnail_url
from upwelling.web.productions.forms import encoding_choices
from upwelling.web.productions.models import Production, production_for

STATES = ("contradictory", "unknown", "likely", "known", "settled")
SHAPES = {"contradictory": "▲", "unknown": "○", "likely": "◐", "known": "●", "settled": "■"}
"""A shape for each state, so that no state is told by colour."""


@require_GET
def intake(request: HttpRequest, slug: str) -> HttpResponse:
    """The table of files with what is known of each."""
    production = production_for(request.user, slug)
    shots = shots_of(production)
    counts = Counter(shot.state for shot in shots)
    wanted = request.GET.get("state", "")
    shown = [shot for shot in shots if not wanted or shot.state == wanted]
    shown.sort(key=lambda shot: (STATES.index(shot.state), shot.name))
    role = production.role_of(request.user)
    return render(request, "footage/intake.html", {
        "production": production, "role": role, "rows": [row_of(shot) for shot in shown], "all": len(shots), "wanted": wanted,
        "filters": [{"state": state, "label": Shot.State(state).label, "shape": SHAPES[state], "count": counts[state]} for state in STATES],
        "cameras": production.cameras.all(), "proposals": proposals(production, shots), "choices": encoding_choices("As inherited", production),
        "arrivals": list(production.arrivals.all()), "endings": ",".join(ENDINGS), "readable": READABLE,
        "folders": arrivals.folders() if role == "technician" else [],
    })


def row_of(shot: Shot) -> dict[str, Any]:
    """One row: the shot, what is in force and from where, and what is known."""
    found = shot.recognition
    now = shot.settled
    weighed = sorted(found.get("evidence", []), key=lambda item: -item["weight"])
    reasons = [item["text"] for item in weighed if item["kind"] != "signal"]
    levels = [item["text"] for item in found.get("evidence", []) if item["kind"] == "signal"]
    candidates = found.get("candidates", [])
    remarks = shot.remarks
    return {
        "shot": shot, "now": now, "shape": SHAPES[shot.state], "recorded": recorded_url(shot), "thumbnail": thumbnail_url(shot),
        "reasons": reasons[:1] or levels[:1] or ["nothing in the file says what it is"], "more": [*reasons[1:], *levels[:6]],
        "candidates": [c for c in candidates if c["encoding"] != now.encoding][:3], "contradictions": found.get("contradictions", []),
        "remarks": remarks, "burned": any(r.kind == "burned" for r in remarks), "origin": ORIGINS.get(now.encoding_from, ""),
        "format": format_of(shot), "inherited": inherited_encoding(shot)[0] if now.encoding_from == "shot" else "",
    }


ORIGINS = {"shot": "own", "camera": "from its camera", "production": "from the production", "file": "from the file", "": ""}


def format_of(shot: Shot) -> str:
    """Codec, size, depth, length and rate in one line."""
    parts = [shot.codec if shot.kind == "movie" else shot.container, f"{shot.width} × {shot.height}",
             f"{shot.depth} bit" if shot.depth.isdigit() and not shot.is_raw else "raw" if shot.is_raw else shot.depth]
    if shot.frames > 1:
        parts.append(f"{shot.frames} frames")
    return " · ".join(parts)


@require_POST
def upload(request: HttpRequest, slug: str) -> HttpResponse:
    """Takes one file and queues it; answers with the arrival's number, or with the sentence that says what is wrong."""
    production = production_for(request.user, slug, change=True)
    given = request.FILES.get("file")
    if given is None:
        raise Refused("No file arrived. Choose one and try again.")
    if given.size and given.size > settings.UPLOAD_LIMIT:
        raise UnreadableFile(given.name, f"is larger than {settings.UPLOAD_LIMIT // 2**20} MiB, the most one upload may be. "
                                         "Put it under the media folder and register that instead.")
    folder = FilePath(settings.FILES) / "incoming"
    folder.mkdir(parents=True, exist_ok=True)
    handle, name = tempfile.mkstemp(dir=folder, prefix="upload-", suffix=FilePath(given.name or "").suffix.lower()[:8])
    temporary = FilePath(name)
    try:
        with os.fdopen(handle, "wb") as stream:
            for chunk in given.chunks(4 * 2**20):
                stream.write(chunk)
    except OSError:
        temporary.unlink(missing_ok=True)
        raise Refused(f"{given.name} could not be stored; the disk may be full. Make room and try again.") from None
    arrival = arrivals.hand_in(production, request.user, given.name or "unnamed", temporary)
    return JsonResponse({"arrival": arrival.pk}, status=202)


@require_POST
def register(request: HttpRequest, slug: str) -> HttpResponse:
    """Queues the files of a folder under the media folder."""
    production = production_for(request.user, slug, change=True)
    try:
        queued = arrivals.register_folder(production, request.user, request.POST.get("folder", ""))
    except UpwellingError as error:
        messages.error(request, str(error))
    else:
        messages.success(request, f"{len(queued)} file{'s are' if len(queued) != 1 else ' is'} being looked at.")
    return redirect("intake", slug)


@require_GET
def progress(request: HttpRequest, slug: str) -> JsonResponse:
    """The arrivals as JSON, for the page to draw."""
    production = production_for(request.user, slug)
    rows = production.arrivals.select_related("shot")
    return JsonResponse({"arrivals": [{
        "id": row.pk, "name": row.name, "state": row.state, "label": row.get_state_display(), "progress": row.progress, "message": row.message,
        "url": reverse("bench", args=[slug, row.shot_id]) if row.shot_id else None,
        "over": row.state in (Arrival.State.DONE, Arrival.State.HERE, Arrival.State.FAILED)} for row in rows]})


@require_POST
def dismiss(request: HttpRequest, slug: str) -> HttpResponse:
    """Takes finished arrivals off the list."""
    production = production_for(request.user, slug, change=True)
    arrivals.dismiss(production)
    return redirect("intake", slug)


@require_POST
def change(request: HttpRequest, slug: str) -> JsonResponse:
    """One change to many shots: camera, encoding, range, accept, display-referred, reconsider, managed.

    Every shot is tried; the answer names those that could not be changed and why.
    """
    production = production_for(request.user, slug, change=True)
    body = json_body(request, "change")
    numbers = body.get("shots")
    if not isinstance(numbers, list) or not numbers or not all(isinstance(n, int) for n in numbers):
        raise Refused("No shot is selected. Tick at least one.")
    chosen = [shot for shot in shots_of(production) if shot.pk in set(numbers)]
    verb, value = str(body.get("verb", "")), str(body.get("value", ""))
    refused = []
    if verb == "camera":
        assign(_camera(production, value), chosen)
    else:
        for shot in chosen:
            try:
                _change_one(shot, verb, value)
            except UpwellingError as error:
                refused.append(str(error))
    return JsonResponse({"changed": len(chosen) - len(refused), "refused": refused})


def _camera(production: Production, value: str) -> Any:
    if value == "":
        return None
    if value.startswith("new:"):
        return create_camera(production, value[4:])
    found = production.cameras.filter(pk=int(value)).first() if value.isdigit() else None
    if found is None:
        raise Refused("That camera is not there any more. Reload the page.")
    return found


def _change_one(shot: Shot, verb: str, value: str) -> None:
    if verb == "encoding":
        settle_encoding(shot, value, shot.range)
    elif verb == "range":
        settle_encoding(shot, shot.encoding, value)
    elif verb == "accept":
        accept(shot)
    elif verb == "display":
        already_display(shot)
    elif verb == "reconsider":
        reconsider(shot)
    elif verb == "managed":
        set_managed(shot, {"on": True, "off": False}.get(value))
    elif verb == "remove":
        shot.delete()
    else:
        raise Refused("The page asked for a change that does not exist. Reload it.")


@require_POST
def take_proposal(request: HttpRequest, slug: str) -> HttpResponse:
    """Makes the proposed camera."""
    production = production_for(request.user, slug, change=True)
    try:
        camera = accept_proposal(production, request.POST.get("key", ""))
    except UpwellingError as error:
        messages.error(request, str(error))
        return redirect("intake", slug)
    messages.success(request, f"{camera.name} has {camera.shots.count()} shots." + (
        "" if camera.encoding else " Say what it records on its page."))
    return redirect("intake", slug) if camera.encoding else redirect("camera", slug, camera.pk)
