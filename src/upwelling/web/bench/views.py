"""The Bench: the page, previews, saving, undo and redo."""

from __future__ import annotations

from typing import Any, get_args

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.path import LAYERS, StageName
from upwelling.web.bench.opening import remember
from upwelling.web.bench.page import Opened, correction_shown
from upwelling.web.bench.preview import View, Wish, preview
from upwelling.web.bench.scope import read_choices
from upwelling.web.bench.tickets import Overtaken, Ticket
from upwelling.web.bench.together import Joint, led_by
from upwelling.web.bench.viewing import viewing_of
from upwelling.web.common.requests import json_body, list_of, one_of, text_of, whole, whole_or
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.frames import Frame, frame_of
from upwelling.web.footage.history import Outdated, apply_or_keep, history_ends, move_in_history
from upwelling.web.footage.models import Shot
from upwelling.web.footage.setting_differences import differences
from upwelling.web.footage.shot_settings import ShotSettings, read_settings
from upwelling.web.footage.shots import stand_for
from upwelling.web.footage.views import thumbnail_url
from upwelling.web.productions.models import Production
from upwelling.web.productions.rights import may


@require_GET
@shot_view()
def bench(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The page where one shot is worked. Fetched ahead, it is not the shot worked on last until it is opened."""
    ahead = request.headers.get("Purpose") == "prefetch"
    if not ahead:
        remember(request, production, shot)
    layer, asked = request.GET.get("layer", ""), whole_or(request.GET.get("frame"), -1)
    rows = [whole_or(part) for part in request.GET.get("beside", "").split(".")]
    opened = Opened(
        production,
        shot,
        changes=may(request, "change"),
        asked=asked,
        layer=layer,
        user=request.user,
        beside=(rows[0], rows[1]) if len(rows) == 2 else None,
    )
    # What waits to be said to the person is said on a page that they see.
    unsaid: dict[str, Any] = {"messages": []} if ahead else {}
    return render(request, "bench/bench.html", {**opened.words(), "data": opened.data(), **unsaid})


@require_POST
@shot_view(often=True)
def preview_of(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Picture, scopes, numbers and trace for settings that need not be saved (none: the shot's own); see ``preview``
    for the layout.

    204 without content when the page has asked for something newer meanwhile.
    """
    body = json_body(request, "setting")
    settings = shot.settings if body.get("settings") is None else read_settings(body["settings"])
    index = body.get("frame")
    joint = led_by(body.get("together"), production.pk, request.user)
    return previewed(shot, frame_of(shot, None if index is None else whole(index)), settings, body, joint)


def previewed(
    shot: Shot, frame: Frame, settings: ShotSettings, body: dict[str, Any], joint: Joint | None = None
) -> HttpResponse:
    """The answer of ``preview`` to what a page sent; ``joint`` is the joint look that the page leads."""
    scopes, region = read_choices(body)
    point, part = body.get("point"), body.get("part")
    wish = Wish(
        without_trim=bool(body.get("untrimmed")),
        without=tuple(kind for kind in LAYERS if kind in list_of(body.get("without"))),
        unmanaged=bool(body.get("unmanaged")),
        drafts=tuple(map(text_of, list_of(body.get("drafts")))),
        lossless=bool(body.get("lossless")),
        raw=bool(body.get("raw")),
        scopes=scopes,
        region=region,
        bars=bool(body.get("bars")),
        point=(whole(point.get("x")), whole(point.get("y"))) if isinstance(point, dict) else None,
        part=(whole(part.get("x")), whole(part.get("y")), whole(part.get("width")), whole(part.get("height")))
        if isinstance(part, dict)
        else None,
        view=one_of(body.get("view"), get_args(View), "picture"),
        output=text_of(body.get("output")),
        viewing=viewing_of(shot.production, body.get("viewing")),
        stage=one_of(body.get("stage"), get_args(StageName), "trim"),
        step=text_of(body.get("step")),
        curve=text_of(body.get("curve")),
        joint=joint,
        role="other" if body.get("role") == "other" else "here",
        ticket=Ticket(text_of(body.get("page")), whole(body.get("number") or 0)),
    )
    if not wish.lossless and wish.part is None:
        frame = frame.shown_at(whole(body.get("wide") or 0))
    try:
        data = preview(shot, frame, settings, wish)
    except Overtaken:
        return HttpResponse(status=204)
    return HttpResponse(data, content_type="application/octet-stream", headers={"Cache-Control": "no-store"})


@require_POST
@shot_view(change=True)
def save(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Saves settings as the next state of the shot; what comes too late is kept as a Mark, and the page is told what
    differs.
    """
    body = json_body(request, "setting")
    settings, before = read_settings(body.get("settings")), shot.settings
    try:
        shot = apply_or_keep(
            shot,
            request.user,
            settings,
            version=whole(body.get("version")),
            label=text_of(body.get("label")) or "change",
            base=None if body.get("base") is None else read_settings(body["base"]),
        )
    except Outdated as error:
        fresh = Shot.objects.select_related("production", "camera").get(pk=shot.pk)
        return JsonResponse(
            {"error": str(error), "differences": differences(settings, fresh.settings), **state_of(fresh)}, status=409
        )
    request.said = differences(before, shot.settings)  # type: ignore[attr-defined]
    theirs = differences(settings, shot.settings) or ["Their change"] if shot.settings != settings else []
    return JsonResponse({**state_of(shot), "merged": theirs})


def state_of(shot: Shot) -> dict[str, Any]:
    return {
        "settings": shot.settings.model_dump(mode="json"),
        "history": history_ends(shot),
        "thumbnail": thumbnail_url(shot),
        "correction": correction_shown(shot),
    }


@require_POST
@shot_view(change=True)
def undo(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """One step back in the shot's history."""
    return _moved(request, shot, -1)


@require_POST
@shot_view(change=True)
def redo(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """One step forward in the shot's history."""
    return _moved(request, shot, +1)


def _moved(request: HttpRequest, shot: Shot, way: int) -> HttpResponse:
    before = shot.settings
    moved = move_in_history(shot, way)
    request.said = differences(before, moved.settings)  # type: ignore[attr-defined]
    return JsonResponse(state_of(moved))


@require_POST
@shot_view(change=True)
def stand(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Chooses the frame that stands for the shot."""
    stand_for(shot, whole(json_body(request, "setting").get("frame")))
    return JsonResponse({"frame": shot.frame, "thumbnail": thumbnail_url(shot)})
