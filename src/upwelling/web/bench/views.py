"""The Bench: the page, previews, saving, undo and redo."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.errors import UnreadableFile
from upwelling.core.path import Path
from upwelling.core.raw import Development
from upwelling.core.rendering import Rise
from upwelling.core.steps import STEPS
from upwelling.web.bench.bars import bars_of
from upwelling.web.bench.column import column, trim_fits
from upwelling.web.bench.hlg import hlg_ways
from upwelling.web.bench.preview import preview
from upwelling.web.bench.scope import SCOPES
from upwelling.web.bench.tone_plot import tone_points
from upwelling.web.controls import controls
from upwelling.web.errors import Refused, json_body
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.inheritance import inherited_encoding
from upwelling.web.footage.intake import row_of
from upwelling.web.footage.models import Shot, shots_of
from upwelling.web.footage.services import Outdated, apply_settings, history_ends, move_in_history, stand_for
from upwelling.web.footage.shot_settings import read_settings
from upwelling.web.footage.views import shot_for, thumbnail_url
from upwelling.web.productions.forms import encoding_choices
from upwelling.web.productions.models import Member


@require_GET
def bench(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """The page where one shot is worked."""
    production, shot = shot_for(request, slug, pk)
    role = production.role_of(request.user)
    settings = shot.settings
    rules = production.rule_set
    path = shot.path(settings)
    shots = shots_of(production)
    now = shot.settled
    free = role == Member.Role.TECHNICIAN and now.is_settled and shot.is_managed
    places = [other.pk for other in shots]
    here = places.index(shot.pk)
    data = {
        "settings": settings.model_dump(mode="json"), "production_rendering": rules.rendering.model_dump(mode="json"),
        "shared_development": (shot.camera.raw_development if shot.camera else Development()).model_dump(mode="json") if shot.is_raw else None,
        "history": history_ends(shot), "editable": free, "settled": now.is_settled, "managed": shot.is_managed,
        "frame": {"width": shot.width, "height": shot.height}, "frames": {"first": shot.first_frame, "last": shot.last_frame, "stands": shot.frame},
        "urls": {name: reverse(name, args=[slug, pk]) for name in ("preview", "save", "undo", "redo", "tone", "stand")},
        "neighbours": {
            "previous": reverse("bench", args=[slug, places[here - 1]]) if here > 0 else None,
            "next": reverse("bench", args=[slug, places[here + 1]]) if here + 1 < len(places) else None,
        },
    }
    inherited, origin = inherited_encoding(shot)
    default = f"{inherited} ({origin}’s)" if inherited and not shot.is_raw else "Not settled"
    return render(request, "bench/bench.html", {
        "production": production, "shot": shot, "shots": shots, "role": role, "rules": rules, "data": data,
        "column": column(shot, path, settings), "fits": trim_fits(settings),
        "steps": [{"title": step.title, "explanation": step.explanation, "space": step.space,
                   "rows": controls(step, str(step.model_fields["kind"].default))} for step in STEPS],
        "rendering_rows": controls(Rise, "rendering"), "tone": tone_points(path), "path": path,
        "choices": encoding_choices(default, production), "now": now, "row": row_of(shot), "own": now.encoding in production.definitions,
        "development_rows": controls(Development, "development") if shot.is_raw else [], "raw": shot.raw_settings(settings),
        "raw_light": shot.raw_settings(settings).light() if shot.is_raw else None,  # type: ignore[union-attr]
        "hlg": _hlg(shot, path), "scopes": SCOPES, "barred": any(bars_of(shot)),
    })


def _whole(value: Any) -> int:
    if not isinstance(value, int):
        raise Refused("The page sent something that is not a whole number. Reload it.")
    return value


def _hlg(shot: Shot, path: Path) -> dict[str, Any] | None:
    """HLG read both ways, for a managed HLG shot whose file can be read; else the preview says what is wrong with the file."""
    if not shot.settled.encoding.startswith("HLG") or not shot.is_managed:
        return None
    try:
        return hlg_ways(shot, path)
    except UnreadableFile:
        return None


@require_POST
def preview_of(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Picture, scopes, counts and trace for settings that need not be saved; see ``preview`` for the layout."""
    _, shot = shot_for(request, slug, pk)
    body = json_body(request, "setting")
    settings = read_settings(body.get("settings"))
    point = body.get("point")
    place = (_whole(point.get("x")), _whole(point.get("y"))) if isinstance(point, dict) else None
    index = body.get("frame")
    data = preview(shot, frame_of(shot, None if index is None else _whole(index)), settings, without_trim=body.get("compare") == "untrimmed",
                   lossless=bool(body.get("lossless")), point=place, scope=str(body.get("scope") or SCOPES[0]), bars=bool(body.get("bars")))
    return HttpResponse(data, content_type="application/octet-stream", headers={"Cache-Control": "no-store"})


@require_POST
def save(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Saves settings as the next state of the shot."""
    _, shot = shot_for(request, slug, pk, change=True)
    body = json_body(request, "setting")
    settings = read_settings(body.get("settings"))
    try:
        shot = apply_settings(shot, request.user, settings, version=_whole(body.get("version")),
                              label=str(body.get("label") or "change"))
    except Outdated as error:
        return JsonResponse({"error": str(error)}, status=409)
    return _state(shot)


def _state(shot: Shot) -> JsonResponse:
    return JsonResponse({"settings": shot.settings.model_dump(mode="json"), "history": history_ends(shot),
                         "thumbnail": thumbnail_url(shot)})


@require_POST
def undo(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """One step back in the shot's history."""
    _, shot = shot_for(request, slug, pk, change=True)
    return _state(move_in_history(shot, -1))


@require_POST
def redo(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """One step forward in the shot's history."""
    _, shot = shot_for(request, slug, pk, change=True)
    return _state(move_in_history(shot, +1))


@require_POST
def tone(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """The tone curve of settings, as points."""
    _, shot = shot_for(request, slug, pk)
    return JsonResponse(tone_points(shot.path(read_settings(json_body(request, "setting").get("settings")))))


@require_POST
def stand(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Chooses the frame that stands for the shot."""
    _, shot = shot_for(request, slug, pk, change=True)
    stand_for(shot, _whole(json_body(request, "setting").get("frame")))
    return JsonResponse({"frame": shot.frame, "thumbnail": thumbnail_url(shot)})
