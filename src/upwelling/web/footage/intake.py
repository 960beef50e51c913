"""Intake: the page where files become shots and each one's encoding is settled."""

from __future__ import annotations

import errno
import secrets
from collections import Counter
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings
from django.contrib import messages
from django.core.files.uploadedfile import TemporaryUploadedFile, UploadedFile
from django.db.models import Case, Count, Value, When
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.count_of import count_of
from upwelling.core.errors import UnreadableFile, UpwellingError
from upwelling.core.media import ENDINGS, READABLE
from upwelling.web.common.paging import page_of
from upwelling.web.common.requests import Refused, json_body, list_of, text_of, whole, whole_or
from upwelling.web.footage import arrivals
from upwelling.web.footage.cameras import accept_proposal, assign, create_camera, proposals
from upwelling.web.footage.finding import STATES, found, shot_finder
from upwelling.web.footage.folders import folder_list, media_folder, shown
from upwelling.web.footage.inheritance import inherited_encoding
from upwelling.web.footage.listing import loaded, with_settled
from upwelling.web.footage.look_services import make_group, set_group
from upwelling.web.footage.models import Arrival, Shot
from upwelling.web.footage.removal import have_back, remove_shots, removed_of
from upwelling.web.footage.shots import change_shot
from upwelling.web.footage.views import recorded_url, thumbnail_url
from upwelling.web.jobs.supervisor import NO_WORKER, worker_runs
from upwelling.web.productions.access import production_view
from upwelling.web.productions.forms import encoding_choices
from upwelling.web.productions.models import Production
from upwelling.web.productions.rights import may

LISTED = 200
"""Arrivals that a page lists at once."""
ORDER = Case(
    *(
        When(state=state, then=Value(place))
        for place, state in enumerate(("probing", "failed", "waiting", "here", "done"))
    )
)
VERBS = {
    "remove": "removed",
    "together": "put together as one sequence",
    "apart": "taken apart",
    "accept": "taken as proposed",
    "display": "already as a display shows it",
    "reconsider": "looked at anew",
    "managed": "colour management",
}
"""What a change in Intake is called in the record; others are called by what they set."""
SHAPES = {"contradictory": "▲", "unknown": "○", "likely": "◐", "known": "●", "settled": "■"}
"""A shape for each state, so that no state is told by colour."""


@require_GET
@production_view()
def intake(request: HttpRequest, production: Production) -> HttpResponse:
    """The table of files with what is known of each."""
    counts = Counter(dict(production.shots.order_by().values_list("state").annotate(Count("pk"))))
    asked = shot_finder(request.GET, production, "state")
    page = page_of(request, found(asked, with_settled(production)))
    may_change = may(request, "change")
    return render(
        request,
        "footage/intake.html",
        {
            "rows": [row_of(shot) for shot in loaded(production, page.object_list)],
            "page": page,
            "all": counts.total(),
            "finder": asked,
            "filters": [
                {"state": state, "label": Shot.State(state).label, "shape": SHAPES[state], "count": counts[state]}
                for state in STATES
            ],
            "cameras": production.cameras.all(),
            "proposals": proposals(production),
            "choices": encoding_choices("As inherited", production),
            "arriving": production.arrivals.filter(listed=True).exists(),
            "cards": production.cards.all()[:12],
            "endings": ",".join(ENDINGS),
            "readable": READABLE,
            "removed": removed_of(production).order_by("-removed")[:8] if may_change else (),
            "folders": folder_list(production) if may_change else None,
            "media_folder": shown(media_folder()) if may_change else "",
        },
    )


def row_of(shot: Shot) -> dict[str, Any]:
    """One row: the shot, what is in force and from where, and what is known."""
    found = shot.recognition
    now = shot.settled
    weighed = sorted(found.get("evidence", []), key=lambda item: -item["weight"])
    # Each is said once: two pieces of evidence may have the same words.
    reasons = list(dict.fromkeys(item["text"] for item in weighed if item["kind"] != "signal"))
    signal = (item["text"] for item in found.get("evidence", []) if item["kind"] == "signal")
    levels = [text for text in dict.fromkeys(signal) if text not in reasons]
    candidates = found.get("candidates", [])
    remarks = shot.remarks
    return {
        "shot": shot,
        "now": now,
        "shape": SHAPES[shot.state],
        "recorded": recorded_url(shot),
        "thumbnail": thumbnail_url(shot),
        "reasons": (reasons[:1] or levels[:1]) or ["nothing in the file says what it is"],
        "more": reasons[1:] + (levels[:6] if reasons else levels[1:6]),
        "candidates": [c for c in candidates if c["encoding"] != now.encoding][:3],
        "asks": shot.state != Shot.State.SETTLED and shot.state != Shot.State.KNOWN and not shot.is_raw,
        "contradictions": found.get("contradictions", []),
        "remarks": remarks,
        "burned": any(r.kind == "burned" for r in remarks),
        "origin": ORIGINS.get(now.encoding_from, ""),
        "format": format_of(shot),
        "decoding": [row.sentence() for row in shot.decoding],
        "inherited": inherited_encoding(shot)[0] if now.encoding_from == "shot" else "",
    }


ORIGINS = {
    "shot": "own",
    "camera": "from its camera",
    "production": "from the production",
    "file": "from the file",
    "": "",
}


def format_of(shot: Shot) -> str:
    """Codec, size, depth, length and rate in one line."""
    parts = [
        shot.codec if shot.kind == "movie" else shot.container,
        f"{shot.width} × {shot.height}",
        f"{shot.depth} bit" if shot.depth.isdigit() and not shot.is_raw else "raw" if shot.is_raw else shot.depth,
    ]
    if shot.frames > 1:
        parts.append(count_of(shot.frames, "frame"))
    if shot.begins:
        parts.append(shot.begins)
    if shot.reel:
        parts.append(f"reel {shot.reel}")
    return " · ".join(parts)


def _take_over(given: UploadedFile, place: FilePath) -> None:
    """The uploaded bytes under a name of ours: the spooled file itself where it lies on the same disk."""
    if isinstance(given, TemporaryUploadedFile):
        try:
            place.hardlink_to(given.temporary_file_path())
            return
        except OSError as error:
            if error.errno == errno.ENOSPC:
                raise
    with place.open("xb") as stream:
        for chunk in given.chunks(4 * 2**20):
            stream.write(chunk)


@require_POST
@production_view(change=True)
def upload(request: HttpRequest, production: Production) -> HttpResponse:
    """Takes one file and queues it; answers with the arrival's number, or with the sentence that says what is wrong."""
    given = request.FILES.get("file")
    if given is None:
        raise Refused("No file arrived. Choose one and try again.")
    if given.size and given.size > settings.UPLOAD_LIMIT:
        raise UnreadableFile(
            given.name,
            f"is larger than {settings.UPLOAD_LIMIT // 2**20} MiB, the most one upload may be. "
            "Put it under the media folder and register that instead.",
        )
    folder = FilePath(settings.FILES) / "incoming"
    folder.mkdir(parents=True, exist_ok=True)
    temporary = folder / f"upload-{secrets.token_hex(12)}{FilePath(given.name or '').suffix.lower()[:8]}"
    try:
        _take_over(given, temporary)
    except OSError:
        temporary.unlink(missing_ok=True)
        raise Refused(f"{given.name} could not be stored; the disk may be full. Make room and try again.") from None
    arrival = arrivals.hand_in(production, request.user, given.name or "unnamed", temporary)
    return JsonResponse({"arrival": arrival.pk}, status=202)


@require_POST
@production_view(change=True)
def register(request: HttpRequest, production: Production) -> HttpResponse:
    """Queues the files of folders under the media folder."""
    typed, way = request.POST.get("typed", "").strip(), request.POST
    folders = [typed] if typed else way.getlist("folder")
    try:
        queued = arrivals.register_folders(
            production, request.user, folders, below="below" in way, by_camera="by_camera" in way
        )
    except UpwellingError as error:
        messages.error(request, str(error))
    else:
        out = arrivals.links_passed_over(production, folders, below="below" in way)
        if out:
            messages.warning(request, f"Passed over: {count_of(out, 'link')} out of this production’s footage folders.")
        cameras = len({one.camera_name for one in queued if one.camera_name})
        to = f", for {count_of(cameras, 'camera')}" if cameras else ""
        messages.success(request, f"{len(queued)} file{'s are' if len(queued) != 1 else ' is'} being looked at{to}.")
    return redirect("intake", production.slug)


@require_GET
@production_view()
def progress(request: HttpRequest, production: Production) -> JsonResponse:
    """Arrivals as JSON, for the page to draw: those under way and refused first, and how many are not sent."""
    listed = production.arrivals.filter(listed=True)
    rows = list(listed.order_by(ORDER, "pk").values("pk", "name", "state", "progress", "message", "shot")[:LISTED])
    return JsonResponse(
        {
            "trouble": "" if worker_runs() else NO_WORKER,
            "more": max(listed.count() - len(rows), 0),
            "arrivals": [
                {
                    "id": row["pk"],
                    "name": row["name"],
                    "state": row["state"],
                    "label": Arrival.State(row["state"]).label,
                    "progress": row["progress"],
                    "message": row["message"],
                    "url": reverse("bench", args=[production.slug, row["shot"]]) if row["shot"] else None,
                    "over": row["state"] in arrivals.OVER,
                }
                for row in rows
            ],
        }
    )


@require_POST
@production_view(change=True)
def dismiss(request: HttpRequest, production: Production) -> HttpResponse:
    """Takes finished arrivals off the list, or the one that the form names."""
    arrivals.dismiss(production, whole_or(request.POST.get("arrival")))
    return redirect("intake", production.slug)


@require_POST
@production_view(change=True)
def change(request: HttpRequest, production: Production) -> JsonResponse:
    """One change to many shots: camera, group, encoding, range, accept, display-referred, reconsider, managed.

    Every shot is tried; the answer names those that could not be changed and why.
    """
    body = json_body(request, "change")
    numbers = {whole(number) for number in list_of(body.get("shots"))}
    if not numbers:
        raise Refused("No shot is selected. Tick at least one.")
    chosen = loaded(production, production.shots.filter(pk__in=numbers).values_list("pk", flat=True))
    verb, value = text_of(body.get("verb")), text_of(body.get("value"))
    request.about = _named(chosen)  # type: ignore[attr-defined]
    request.said = [f"{VERBS.get(verb, verb)} {_titled(production, verb, value)}".strip()]  # type: ignore[attr-defined]
    refused = []
    if verb == "remove":
        messages.success(
            request, f"{len(chosen)} shot{' is' if len(chosen) == 1 else 's are'} removed. {remove_shots(chosen)}"
        )
    elif verb == "camera":
        assign(_camera(production, value), chosen)
    elif verb == "group":
        _put_in_group(production, value, [shot.pk for shot in chosen])
    elif verb == "together":
        arrivals.put_together(production, request.user, chosen)
    else:
        for shot in chosen:
            try:
                if verb == "apart":
                    arrivals.take_apart(shot, request.user)
                else:
                    change_shot(shot, verb, value)
            except UpwellingError as error:
                refused.append(str(error))
    return JsonResponse({"changed": len(chosen) - len(refused), "refused": refused})


def _named(shots: list[Shot]) -> str:
    """The first shots of a change by name, and how many more."""
    names, more = ", ".join(shot.name for shot in shots[:3]), len(shots) - 3
    return f"{names} and {more} more" if more > 0 else names


def _titled(production: Production, verb: str, value: str) -> str:
    """What a change in Intake sets, by its name."""
    kind: Any = {"camera": production.cameras, "group": production.groups}.get(verb)
    row = kind.filter(pk=whole_or(value)).first() if kind else None
    return str(row.name) if row else value


@require_POST
@production_view(change=True)
def undo_removal(request: HttpRequest, production: Production) -> HttpResponse:
    """Has back the shots that were removed last."""
    found = have_back(production)
    if found:
        messages.success(request, f"{', '.join(shot.name for shot in found)[:300]}: back as before.")
    else:
        messages.error(request, "Nothing is there to be had back.")
    return redirect("intake", production.slug)


def _put_in_group(production: Production, value: str, numbers: list[int]) -> None:
    if value.startswith("new:"):
        make_group(production, value[4:], numbers)
        return
    group = production.groups.filter(pk=whole_or(value)).first() if value else None
    if value and group is None:
        raise Refused("That group is not there any more. Reload the page.")
    set_group(production, numbers, group)


def _camera(production: Production, value: str) -> Any:
    if value == "":
        return None
    if value.startswith("new:"):
        return create_camera(production, value[4:])
    found = production.cameras.filter(pk=whole_or(value)).first()
    if found is None:
        raise Refused("That camera is not there any more. Reload the page.")
    return found


@require_POST
@production_view(change=True)
def take_proposal(request: HttpRequest, production: Production) -> HttpResponse:
    """Makes the proposed camera."""
    try:
        camera = accept_proposal(production, request.POST.get("key", ""))
    except UpwellingError as error:
        messages.error(request, str(error))
        return redirect("intake", production.slug)
    messages.success(
        request,
        f"{camera.name} has {count_of(camera.shots.count(), 'shot')}."
        + ("" if camera.encoding else " Say what it records on its page."),
    )
    return redirect("intake", production.slug) if camera.encoding else redirect("camera", production.slug, camera.pk)
