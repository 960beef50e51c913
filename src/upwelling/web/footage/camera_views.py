"""A camera's page: its definition, shots, exceptions and chart report."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
from django.contrib import messages
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from upwelling.core.chart import CARD_NAMES, ChartReport, Corners, read_patches, report
from upwelling.core.errors import BadValue, UpwellingError
from upwelling.core.raw import Development
from upwelling.web.controls import controls
from upwelling.web.errors import Refused
from upwelling.web.footage.cameras import change_camera, remove_camera, set_development
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.intake import row_of
from upwelling.web.footage.models import RANGES, Camera, Shot, shots_of
from upwelling.web.footage.pictures import swatch
from upwelling.web.footage.views import shot_for, thumbnail_url
from upwelling.web.productions.forms import encoding_choices
from upwelling.web.productions.models import Production, production_for

DEFAULT_CORNERS: Corners = ((0.05, 0.10), (0.80, 0.10), (0.80, 0.90), (0.05, 0.90))
"""Where the corners are put before a person moves them."""


def _camera(request: HttpRequest, slug: str, pk: int, *, change: bool = False) -> tuple[Production, Camera]:
    production = production_for(request.user, slug, change=change)
    camera = get_object_or_404(Camera, pk=pk, production=production)
    camera.production = production
    return production, camera


@require_http_methods(["GET", "POST"])
def camera_page(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """The page, and saving its definition."""
    production, camera = _camera(request, slug, pk, change=request.method == "POST")
    if request.method == "POST":
        try:
            change_camera(camera, name=request.POST.get("name", ""), encoding=request.POST.get("encoding", ""),
                          code_range=request.POST.get("range", ""))
            given = {key.removeprefix("development."): value for key, value in request.POST.items() if key.startswith("development.")}
            if given:
                set_development(camera, given)
        except UpwellingError as error:
            messages.error(request, f"The camera was not changed. {error}")
        else:
            messages.success(request, f"{camera.name} is saved. Its shots follow it unless they say otherwise.")
        return redirect("camera", slug, pk)
    shots = [shot for shot in shots_of(production) if shot.camera_id == camera.pk]
    charts = [shot for shot in shots if shot.chart_corners]
    encoded = production.encoding_named(camera.encoding) if camera.encoding else None
    return render(request, "footage/camera.html", {
        "production": production, "camera": camera, "role": production.role_of(request.user), "rows": [row_of(shot) for shot in shots],
        "exceptions": [row_of(s) for s in shots if s.settled.encoding_from == "shot" or (s.is_raw and s.listed_settings.development)],
        "contradictory": sum(1 for s in shots if s.state == "contradictory"), "encoded": encoded,
        "choices": encoding_choices("None: each shot its own", production), "ranges": RANGES, "charts": [_chart(shot) for shot in charts],
        "others": [shot for shot in shots if not shot.chart_corners], "raw": [shot for shot in shots if shot.is_raw],
        "development_fields": _fields(camera.raw_development), "encoded_codes": [encoded.code_of(v) * 1023 for v in (0.0, 0.18, 0.9)] if encoded else [],
        "raw_light": _light(shots),
    })


def _fields(development: Development) -> list[dict[str, Any]]:
    """Name, title, unit, value and choices of each setting, from its declaration."""
    return [{"name": row["name"], "title": row["title"], "help": row["help"], "unit": row.get("unit", ""), "values": row.get("values"),
             "value": getattr(development, row["name"])} for row in controls(Development, "development")]


def _light(shots: list[Shot]) -> list[dict[str, Any]]:
    """The as-shot light of raw shots."""
    rows = []
    for shot in shots:
        raw = shot.raw_settings()
        if raw is not None:
            kelvin, duv = raw.light()
            rows.append({"name": shot.name, "kelvin": round(kelvin), "duv": _signed(duv, 4), "stops": _signed(raw.stops, 2)})
    return rows


def _signed(value: float, digits: int) -> str:
    """A number with its sign; nothing is negative that rounds to 0."""
    return f"{round(value, digits) + 0.0:+.{digits}f}".replace("-", "−")


def chart_report(shot: Shot) -> ChartReport:
    """The report of a chart shot under its present encoding; raises BadValue or Refused when it cannot be made."""
    if not shot.settled.is_settled:
        raise Refused(f"{shot.name} has no encoding yet, so its light is not known.")
    path = shot.path()
    corners: Any = tuple(tuple(point) for point in shot.chart_corners or DEFAULT_CORNERS)
    return report(read_patches(path.to_working(frame_of(shot).working), corners), path.working_primaries)


def _chart(shot: Shot) -> dict[str, Any]:
    try:
        made = chart_report(shot)
    except UpwellingError as error:
        return {"shot": shot, "trouble": str(error), "thumbnail": thumbnail_url(shot)}
    path = shot.path()
    balanced = made.measured * np.array(made.gains)
    worst = made.worst
    return {
        "shot": shot, "thumbnail": thumbnail_url(shot), "median": f"{made.median:.2f}", "worst": f"{worst[1]:.2f} at {worst[0]}",
        "stops": _signed(made.stops, 3), "gains": " ".join(f"{g:.3f}" for g in made.gains),
        "patches": [{"name": name, "difference": f"{made.differences[i]:.2f}", "wanted": swatch(made.wanted[i], path),
                     "measured": swatch(balanced[i], path), "left": i % 6 * 61, "top": i // 6 * 61} for i, name in enumerate(made.names)],
    }


@require_POST
def remove(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Removes the camera; shots stay."""
    _, camera = _camera(request, slug, pk, change=True)
    remove_camera(camera)
    messages.success(request, f"{camera.name} is removed; its shots stay without a camera.")
    return redirect("intake", slug)


@require_GET
def chart(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Marking the chart of one shot."""
    production, shot = shot_for(request, slug, pk)
    corners = shot.chart_corners or DEFAULT_CORNERS
    return render(request, "footage/chart.html", {
        "production": production, "shot": shot, "role": production.role_of(request.user), "chart": _chart(shot), "names": CARD_NAMES,
        "data": {"corners": corners, "width": shot.width, "height": shot.height}, "radius": max(shot.width // 70, 4),
    })


@require_POST
def mark_chart(request: HttpRequest, slug: str, pk: int) -> JsonResponse:
    """Saves the chart's corners, or takes the mark away; answers with the report's figures."""
    _, shot = shot_for(request, slug, pk, change=True)
    try:
        corners = json.loads(request.body).get("corners")
        clean = None if corners is None else [[min(max(float(x), 0.0), 0.9999), min(max(float(y), 0.0), 0.9999)] for x, y in corners]
    except (ValueError, TypeError, AttributeError):
        raise Refused("The page sent corners that are not numbers. Reload it.") from None
    if clean is not None and len(clean) != 4:
        raise Refused("A chart has four corners.")
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
