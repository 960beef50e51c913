"""The simulated monitor: a shot on a less than perfect display, and patches read from it."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST
from pydantic import ValidationError

from upwelling.core import engine
from upwelling.core.errors import BadValue
from upwelling.core.outputs.monitor import MONITORS, Monitor, read_patches
from upwelling.core.parameters import refusal
from upwelling.web.common.controls import controls
from upwelling.web.common.requests import json_body, text_of
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.listing import choices
from upwelling.web.footage.models import Shot
from upwelling.web.outputs.pictures import picture_url
from upwelling.web.outputs.rendering_views import scene_of
from upwelling.web.productions.models import Production


@require_GET
@shot_view()
def monitor(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The page: controls of the display, the picture on it, the readings."""
    rules = production.rule_set
    data = {
        "rest": Monitor().model_dump(mode="json"),
        "presets": {name: {**Monitor().model_dump(mode="json"), **change} for name, change in MONITORS.items()},
        "output": rules.output,
        "url": reverse("monitor-look", args=[production.slug, shot.pk]),
    }
    return render(
        request,
        "outputs/monitor.html",
        {
            "shot": shot,
            "data": data,
            "rows": controls(Monitor, ""),
            "gamuts": Monitor.model_fields["gamut"].annotation.__args__,  # type: ignore[union-attr]
            "presets": MONITORS,
            "outputs": rules.outputs,
            "shots": choices(production.shots.all(), shot.pk),
            "free": shot.settled.is_settled and shot.is_managed,
        },
    )


@require_POST
@shot_view()
def look(request: HttpRequest, production: Production, shot: Shot) -> JsonResponse:
    """The shot as the monitor shows it and as it should, and the readings."""
    body = json_body(request, "setting")
    try:
        display = Monitor.model_validate(body.get("monitor"))
    except ValidationError as error:
        raise BadValue(refusal(error)) from None
    scene, path = scene_of(shot, text_of(body.get("output")))
    light = engine.run(engine.compile_operations((*path.segments()["rendering"], *path.segments()["finish"])), scene)
    target = path.target
    readings = [
        {
            "name": r.name,
            "wanted": f"{r.wanted_nits:.3g}",
            "measured": f"{r.measured_nits:.3g}",
            "wanted_xy": _xy(r.wanted_xy),
            "measured_xy": _xy(r.measured_xy),
            "delta": f"{r.delta_e:.2f}",
        }
        for r in read_patches(display, target)
    ]
    greys = [r for r in readings if r["name"].startswith("grey")]
    return JsonResponse(
        {
            "wanted": picture_url(light, target),
            "shown": picture_url(display.shown(target, light).astype("float32"), target),
            "readings": readings,
            "said": f"{target.name}: greys off by at most ΔE 2000 {max(float(g['delta']) for g in greys):.1f}",
        }
    )


def _xy(xy: tuple[float, float]) -> str:
    return f"{xy[0]:.4f} {xy[1]:.4f}" if any(xy) else "no light"
