"""The simulated monitor: a shot on a less than perfect display, and patches read from it."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST
from pydantic import ValidationError

from upwelling.core import engine
from upwelling.core.errors import BadValue, refusal
from upwelling.core.simulate.monitor import Monitor, read_patches
from upwelling.web.controls import controls
from upwelling.web.errors import json_body
from upwelling.web.footage.models import shots_of
from upwelling.web.footage.views import shot_for
from upwelling.web.outputs.pictures import picture_url
from upwelling.web.outputs.rendering_views import scene_of

PRESETS: dict[str, dict[str, Any]] = {
    "as it should be": {},
    "consumer TV, lit room": {"gamma_error": -0.2, "peak": 120.0, "black_nits": 0.05, "ambient_lux": 150.0, "white_x": -0.012, "white_y": -0.008},
    "laptop in daylight": {"gamma_error": -0.1, "peak": 90.0, "black_nits": 0.3, "ambient_lux": 500.0},
    "projector, grey screen room": {"peak": 80.0, "black_nits": 0.04, "ambient_lux": 5.0},
}
"""Invented displays to begin with."""


@require_GET
def monitor(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """The page: controls of the display, the picture on it, the readings."""
    production, shot = shot_for(request, slug, pk)
    rules = production.rule_set
    data = {"rest": Monitor().model_dump(mode="json"), "presets": {name: {**Monitor().model_dump(mode="json"), **change} for name, change in PRESETS.items()},
            "output": rules.output, "url": reverse("monitor-look", args=[slug, pk])}
    return render(request, "outputs/monitor.html", {
        "production": production, "shot": shot, "role": production.role_of(request.user), "data": data, "rows": controls(Monitor, ""),
        "gamuts": Monitor.model_fields["gamut"].annotation.__args__, "presets": PRESETS,  # type: ignore[union-attr]
        "outputs": [rules.output, *(d.output for d in rules.deliveries)], "shots": shots_of(production),
        "free": shot.settled.is_settled and shot.is_managed})


@require_POST
def look(request: HttpRequest, slug: str, pk: int) -> JsonResponse:
    """The shot as the monitor shows it and as it should, and the readings."""
    body = json_body(request, "setting")
    _, shot = shot_for(request, slug, pk)
    try:
        display = Monitor.model_validate(body.get("monitor"))
    except ValidationError as error:
        raise BadValue(refusal(error)) from None
    scene, path = scene_of(shot, str(body.get("output") or ""))
    light = engine.run(engine.compile_operations(path.segments()["rendering"]), scene)
    target = path.target
    readings = [{"name": r.name, "wanted": f"{r.wanted_nits:.3g}", "measured": f"{r.measured_nits:.3g}",
                 "wanted_xy": _xy(r.wanted_xy), "measured_xy": _xy(r.measured_xy),
                 "delta": f"{r.delta_e:.2f}"} for r in read_patches(display, target)]
    greys = [r for r in readings if r["name"].startswith("grey")]
    return JsonResponse({"wanted": picture_url(light, target), "shown": picture_url(display.shown(target, light).astype("float32"), target), "readings": readings,
                         "said": f"{target.name}: greys off by at most ΔE 2000 {max(float(g['delta']) for g in greys):.1f}"})


def _xy(xy: tuple[float, float]) -> str:
    return f"{xy[0]:.4f} {xy[1]:.4f}" if any(xy) else "no light"
