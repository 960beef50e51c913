"""A camera's page: its definition, shots, exceptions and chart report."""

from __future__ import annotations

from typing import Any

import numpy as np
from django.contrib import messages
from django.db.models import F, QuerySet
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from upwelling.core.charts.find import find_chart
from upwelling.core.charts.grid import Corners
from upwelling.core.charts.patch_chart import CARD_NAMES, ChartReport, read_patches, report
from upwelling.core.errors import BadValue, UpwellingError
from upwelling.core.raw import Development
from upwelling.web.common.controls import controls
from upwelling.web.common.paging import page_of
from upwelling.web.common.requests import Refused, json_body, list_of, number
from upwelling.web.footage.access import camera_view, shot_view
from upwelling.web.footage.cameras import change_camera, remove_camera, set_development
from upwelling.web.footage.correction_views import correction_facts
from upwelling.web.footage.decoding import SAYABLE, set_camera_decoding
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.intake import row_of
from upwelling.web.footage.layer_models import SharedLayer
from upwelling.web.footage.layer_services import exceptions
from upwelling.web.footage.listing import loaded, managed
from upwelling.web.footage.models import RANGES, Camera, Shot, ShotState
from upwelling.web.footage.paths import path_of, raw_settings_of
from upwelling.web.footage.pictures import swatch
from upwelling.web.footage.views import thumbnail_url
from upwelling.web.productions.forms import encoding_choices
from upwelling.web.productions.models import Production

MOST_CHARTS = 6
"""Chart reports on a camera’s page; each reads a frame."""
DEFAULT_CORNERS: Corners = ((0.05, 0.10), (0.80, 0.10), (0.80, 0.90), (0.05, 0.90))
"""Where the corners are put before a person moves them."""
EACH_OTHERWISE = 12
"""Shots that the page names as taking the camera's trim otherwise."""


@require_http_methods(["GET", "POST"])
@camera_view(change="POST")
def camera_page(request: HttpRequest, production: Production, camera: Camera) -> HttpResponse:
    """The page, and saving its definition."""
    if request.method == "POST":
        try:
            change_camera(
                camera,
                name=request.POST.get("name", ""),
                encoding=request.POST.get("encoding", ""),
                code_range=request.POST.get("range", ""),
            )
            set_camera_decoding(camera, request.POST.get("matrix", ""), request.POST.get("siting", ""))
            given = {
                key.removeprefix("development."): value
                for key, value in request.POST.items()
                if key.startswith("development.")
            }
            if given:
                set_development(camera, given)
        except UpwellingError as error:
            messages.error(request, f"The camera was not changed. {error}")
        else:
            messages.success(request, f"{camera.name} is saved. Its shots follow it unless they say otherwise.")
        return redirect("camera", production.slug, camera.pk)
    mine = camera.shots.order_by("name", "pk")
    page = page_of(request, mine.values_list("pk", flat=True))
    shots = loaded(production, page.object_list)
    charts = loaded(production, mine.filter(chart_corners__isnull=False).values_list("pk", flat=True)[:MOST_CHARTS])
    encoded = production.encoding_named(camera.encoding) if camera.encoding else None
    layer = SharedLayer.objects.filter(camera=camera).select_related("production", "camera").first()
    return render(
        request,
        "footage/camera.html",
        {
            "camera": camera,
            "layer": layer,
            "layer_apart": exceptions(layer)[:EACH_OTHERWISE] if layer else [],
            "layer_shot": managed(production)
            .filter(camera=camera)
            .order_by("name", "pk")
            .values_list("pk", flat=True)
            .first(),
            "rows": [row_of(shot) for shot in shots],
            "page": page,
            "exceptions": _exceptions(mine),
            "contradictory": mine.filter(state=Shot.State.CONTRADICTORY).count(),
            "encoded": encoded,
            "choices": encoding_choices("None: each shot its own", production),
            "ranges": RANGES,
            "sayable": SAYABLE,
            "charts": [_chart(shot) for shot in charts],
            "development_fields": _fields(camera.raw_development),
            "encoded_codes": [encoded.code_of(v) * 1023 for v in (0.0, 0.18, 0.9)] if encoded else [],
            "raw_light": _light(shots),
            "correction": correction_facts(camera),
        },
    )


def _exceptions(shots: QuerySet[Shot]) -> int:
    """How many say something else than the camera: an encoding, or for raw ones a development."""
    said = shots.filter(raw_profile__isnull=True).exclude(encoding="").count()
    states = ShotState.objects.filter(
        shot__in=shots.filter(raw_profile__isnull=False),
        position=F("shot__position"),
        settings__development__kind__isnull=False,
    )
    return said + states.count()


def _fields(development: Development) -> list[dict[str, Any]]:
    """Name, title, unit, value and choices of each setting, from its declaration."""
    return [
        {
            "name": row["name"],
            "title": row["title"],
            "help": row["help"],
            "unit": row.get("unit", ""),
            "values": row.get("values"),
            "value": getattr(development, row["name"]),
        }
        for row in controls(Development, "development")
    ]


def _light(shots: list[Shot]) -> list[dict[str, Any]]:
    """The as-shot light of raw shots."""
    rows = []
    for shot in shots:
        raw = raw_settings_of(shot)
        if raw is not None:
            kelvin, duv = raw.light()
            rows.append(
                {"name": shot.name, "kelvin": round(kelvin), "duv": _signed(duv, 4), "stops": _signed(raw.stops, 2)}
            )
    return rows


def _signed(value: float, digits: int) -> str:
    """A number with its sign; nothing is negative that rounds to 0."""
    return f"{round(value, digits) + 0.0:+.{digits}f}".replace("-", "−")


def chart_report(shot: Shot) -> ChartReport:
    """The report of a chart shot under its present encoding; raises BadValue or Refused when it cannot be made."""
    if not shot.settled.is_settled:
        raise Refused(f"{shot.name} has no encoding yet, so its light is not known.")
    path = path_of(shot)
    corners: Any = tuple(tuple(point) for point in shot.chart_corners or DEFAULT_CORNERS)
    return report(read_patches(path.to_working(frame_of(shot).working), corners), path.working_primaries)


def _chart(shot: Shot) -> dict[str, Any]:
    try:
        made = chart_report(shot)
    except UpwellingError as error:
        return {"shot": shot, "trouble": str(error), "thumbnail": thumbnail_url(shot)}
    path = path_of(shot)
    balanced = made.measured * np.array(made.gains)
    worst = made.worst
    return {
        "shot": shot,
        "thumbnail": thumbnail_url(shot),
        "median": f"{made.median:.2f}",
        "worst": f"{worst[1]:.2f} at {worst[0]}",
        "stops": _signed(made.stops, 3),
        "gains": " ".join(f"{g:.3f}" for g in made.gains),
        "patches": [
            {
                "name": name,
                "difference": f"{made.differences[i]:.2f}",
                "wanted": swatch(made.wanted[i], path),
                "measured": swatch(balanced[i], path),
                "left": i % 6 * 61,
                "top": i // 6 * 61,
            }
            for i, name in enumerate(made.names)
        ],
    }


@require_POST
@camera_view(change=True)
def remove(request: HttpRequest, production: Production, camera: Camera) -> HttpResponse:
    """Removes the camera; shots stay."""
    remove_camera(camera)
    messages.success(request, f"{camera.name} is removed; its shots stay without a camera.")
    return redirect("intake", production.slug)


@require_GET
@shot_view()
def chart(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Marking the chart of one shot."""
    corners = shot.chart_corners or DEFAULT_CORNERS
    return render(
        request,
        "footage/chart.html",
        {
            "shot": shot,
            "chart": _chart(shot),
            "names": CARD_NAMES,
            "data": {"corners": corners, "width": shot.width, "height": shot.height},
            "radius": max(shot.width // 70, 4),
        },
    )


def _corners(given: Any) -> list[list[float]] | None:
    """Four places in shares of the frame, or None for no chart; raises Refused."""
    if given is None:
        return None
    pairs = [list_of(pair) for pair in list_of(given)]
    if len(pairs) != 4 or any(len(pair) != 2 for pair in pairs):
        raise Refused("A chart has four corners.")
    return [[min(max(number(value), 0.0), 0.9999) for value in pair] for pair in pairs]


@require_POST
@shot_view(change=True)
def find_corners(request: HttpRequest, production: Production, shot: Shot) -> JsonResponse:
    """Where the chart lies in the frame that stands for the shot; nothing is saved."""
    if not shot.settled.is_settled:
        raise Refused(f"{shot.name} has no encoding yet, so its light is not known.")
    path = path_of(shot)
    found = find_chart(path.to_working(frame_of(shot).working), path.working_primaries)
    said = f"Found, its colours within {found.misfit:.2f} stops of the chart's. Move corners if need be, then read it."
    return JsonResponse({"corners": found.corners, "said": said})


@require_POST
@shot_view(change=True)
def mark_chart(request: HttpRequest, production: Production, shot: Shot) -> JsonResponse:
    """Saves the chart's corners, or takes the mark away; answers with the report's figures."""
    clean = _corners(json_body(request, "chart").get("corners"))
    before = shot.chart_corners
    shot.chart_corners = clean
    if clean is not None:
        try:
            chart_report(shot)
        except BadValue:
            shot.chart_corners = before
            raise
    shot.save(update_fields=["chart_corners"])
    made = _chart(shot) if clean is not None else {}
    return JsonResponse({key: made[key] for key in ("median", "worst", "stops", "gains") if key in made})
