"""Marks and the history of a shot, for the Bench."""

from __future__ import annotations

from typing import Any

from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.errors import BadValue
from upwelling.web.common.downloads import FOR_EVER, picture_file
from upwelling.web.common.requests import json_body, text_of, whole
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.history import history_ends, remove_mark, return_to, set_mark
from upwelling.web.footage.models import Mark, Shot
from upwelling.web.footage.paths import path_at
from upwelling.web.footage.pictures import thumbnail_file
from upwelling.web.footage.setting_differences import differences
from upwelling.web.footage.shot_settings import ShotSettings, read_settings, stored_settings
from upwelling.web.footage.views import thumbnail_url
from upwelling.web.productions.models import Production

MARKS, STATES, MOST_PAGES = 40, 100, 50
"""Marks and states that are listed at first, and how often as many more may be asked for."""


def _when(moment: Any) -> str:
    local = timezone.localtime(moment)
    return local.strftime("%H:%M" if local.date() == timezone.localdate() else "%d %b %H:%M")


def _mark(shot: Shot, mark: Mark, now: ShotSettings) -> dict[str, Any]:
    """One Mark; of one that can no longer be read, why."""
    row = {
        "pk": mark.pk,
        "name": mark.name,
        "kept": mark.kept,
        "who": f"{mark.created_by or 'someone'}, {_when(mark.created)}",
    }
    address = reverse("mark-thumbnail", args=[shot.production.slug, shot.pk, mark.pk])
    try:
        settings = mark.shot_settings
        return {
            **row,
            "settings": settings.model_dump(mode="json"),
            "thumbnail": f"{address}?v={path_at(shot, None, settings).fingerprint[:12]}",
            "differences": differences(now, settings) or ["As it is now"],
        }
    except BadValue as error:
        return {
            **row,
            "settings": now.model_dump(mode="json"),
            "thumbnail": thumbnail_url(shot),
            "differences": [f"▲ {error}"],
        }


def _rows(shot: Shot, now: ShotSettings, pages: Any = 1) -> dict[str, Any]:
    """Marks with what differs from the present settings, and the states of the history with what each changed.

    Newest first; ``pages`` times as many as are shown at first, and how many there are beyond.
    """
    pages = min(max(whole(pages or 1), 1), MOST_PAGES)
    marks = [_mark(shot, mark, now) for mark in shot.marks.select_related("created_by")[: pages * MARKS]]
    more_marks = shot.marks.count() - len(marks)
    last = shot.states.order_by("-position").values_list("position", flat=True).first() or 0
    # As far back as the present one, which undo may have left behind.
    wanted = max(pages * STATES, min(last - shot.position + 1, MOST_PAGES * STATES))
    newest = list(shot.states.select_related("created_by").order_by("-position")[: wanted + 1])
    more_states = shot.states.count() - len(newest)
    states: list[dict[str, Any]] = []
    before: ShotSettings | None = None
    for state in newest[::-1]:
        try:
            settings = stored_settings(state.settings)
        except BadValue as error:
            states.append(
                {
                    "position": state.position,
                    "label": state.label,
                    "who": str(state.created_by or "someone"),
                    "changed": [f"▲ {error}"],
                    "now": state.position == shot.position,
                }
            )
            continue
        changed = differences(before, settings) if before is not None else []
        states.append(
            {
                "position": state.position,
                "label": state.label,
                "who": f"{state.created_by or 'someone'}, {_when(state.created)}",
                "changed": changed[:6],
                "now": state.position == shot.position,
            }
        )
        before = settings
    shown = states[::-1] if not more_states else states[:0:-1]  # the oldest is there to compare with
    return {
        "marks": marks,
        "states": shown,
        "more_marks": max(more_marks, 0),
        "more_states": more_states + len(states) - len(shown),
    }


@require_POST
@shot_view()
def marks(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Marks and history against the page's settings."""
    body = json_body(request, "Mark")
    return JsonResponse(_rows(shot, read_settings(body.get("settings")), body.get("pages")))


@require_POST
@shot_view(change=True)
def change_marks(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Saves the page's settings as a Mark under the name ``mark``, or removes the Mark ``remove``.

    Then as ``marks``.
    """
    body = json_body(request, "Mark")
    now = read_settings(body.get("settings"))
    if "remove" in body:
        remove_mark(shot, whole(body["remove"]))
    else:
        set_mark(shot, request.user, text_of(body.get("mark")), now)
    return JsonResponse(_rows(shot, now, body.get("pages")))


@require_POST
@shot_view(change=True)
def history(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Goes to one state of the history."""
    shot = return_to(shot, whole(json_body(request, "state").get("position")))
    return JsonResponse(
        {
            "settings": shot.settings.model_dump(mode="json"),
            "history": history_ends(shot),
            "thumbnail": thumbnail_url(shot),
        }
    )


@require_GET
@shot_view()
def mark_thumbnail(request: HttpRequest, production: Production, shot: Shot, mark: int) -> FileResponse:
    """A Mark's small picture."""
    chosen = get_object_or_404(Mark, pk=mark, shot=shot)
    return picture_file(thumbnail_file(shot, settings_shown=chosen.shot_settings), FOR_EVER)
