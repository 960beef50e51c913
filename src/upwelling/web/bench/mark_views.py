"""Marks and the history of a shot, for the Bench."""

from __future__ import annotations

from typing import Any

from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.errors import BadValue
from upwelling.web.bench.views import whole
from upwelling.web.errors import json_body
from upwelling.web.footage.models import Mark, Shot
from upwelling.web.footage.pictures import thumbnail_file
from upwelling.web.footage.services import history_ends, return_to, set_mark
from upwelling.web.footage.setting_differences import differences
from upwelling.web.footage.shot_settings import ShotSettings, read_settings, stored_settings
from upwelling.web.footage.views import shot_for, thumbnail_url


def _when(moment: Any) -> str:
    local = timezone.localtime(moment)
    return local.strftime("%H:%M" if local.date() == timezone.localdate() else "%d %b %H:%M")


def _mark(shot: Shot, mark: Mark, now: ShotSettings) -> dict[str, Any]:
    """One Mark; of one that can no longer be read, why."""
    row = {"pk": mark.pk, "name": mark.name, "kept": mark.kept, "who": f"{mark.created_by or 'someone'}, {_when(mark.created)}"}
    address = reverse("mark-thumbnail", args=[shot.production.slug, shot.pk, mark.pk])
    try:
        settings = mark.shot_settings
        return {**row, "settings": settings.model_dump(mode="json"), "thumbnail": f"{address}?v={shot.path(settings).fingerprint[:12]}",
                "differences": differences(now, settings) or ["As it is now"]}
    except BadValue as error:
        return {**row, "settings": now.model_dump(mode="json"), "thumbnail": thumbnail_url(shot), "differences": [f"▲ {error}"]}


def _rows(shot: Shot, now: ShotSettings) -> dict[str, Any]:
    """Marks with what differs from the present settings, and the states of the history with what each changed."""
    marks = [_mark(shot, mark, now) for mark in shot.marks.select_related("created_by")]
    states: list[dict[str, Any]] = []
    before: ShotSettings | None = None
    for state in shot.states.select_related("created_by").order_by("position"):
        try:
            settings = stored_settings(state.settings)
        except BadValue as error:
            states.append({"position": state.position, "label": state.label, "who": str(state.created_by or "someone"), "changed": [f"▲ {error}"],
                           "now": state.position == shot.position})
            continue
        changed = differences(before, settings) if before is not None else []
        states.append({"position": state.position, "label": state.label, "who": f"{state.created_by or 'someone'}, {_when(state.created)}",
                       "changed": changed[:6], "now": state.position == shot.position})
        before = settings
    return {"marks": marks, "states": states[::-1]}


@require_POST
def marks(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Lists Marks and history against the page's settings; with ``mark`` saves them under that name first, with ``remove`` takes one away."""
    body = json_body(request, "Mark")
    changes = "mark" in body or "remove" in body
    _, shot = shot_for(request, slug, pk, change=changes)
    now = read_settings(body.get("settings"))
    if "mark" in body:
        set_mark(shot, request.user, str(body["mark"] or ""), now)
    if "remove" in body:
        get_object_or_404(Mark, pk=whole(body["remove"]), shot=shot).delete()
    return JsonResponse(_rows(shot, now))


@require_POST
def history(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Goes to one state of the history."""
    _, shot = shot_for(request, slug, pk, change=True)
    shot = return_to(shot, whole(json_body(request, "state").get("position")))
    return JsonResponse({"settings": shot.settings.model_dump(mode="json"), "history": history_ends(shot), "thumbnail": thumbnail_url(shot)})


@require_GET
def mark_thumbnail(request: HttpRequest, slug: str, pk: int, mark: int) -> FileResponse:
    """A Mark's small picture."""
    _, shot = shot_for(request, slug, pk)
    chosen = get_object_or_404(Mark, pk=mark, shot=shot)
    return FileResponse(thumbnail_file(shot, settings_shown=chosen.shot_settings).open("rb"), content_type="image/jpeg",
                        headers={"Cache-Control": "private, max-age=31536000, immutable"})
