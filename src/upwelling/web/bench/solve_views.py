"""What the Bench works out from a place in the picture: a light that makes it neutral, a colour range that takes it in."""

from __future__ import annotations

from typing import Any

import numpy as np
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_POST
from pydantic import ValidationError

from upwelling.core import engine
from upwelling.core.arrays import Float32
from upwelling.core.path import Path
from upwelling.core.scopes import Region, region_spans
from upwelling.core.steps import STEPS, WhiteBalance, range_around
from upwelling.core.steps.base import OWN
from upwelling.core.steps.white_balance import balance_neutral
from upwelling.web.bench.scope import read_choices
from upwelling.web.bench.views import whole
from upwelling.web.errors import Refused, json_body
from upwelling.web.footage.frames import Frame, frame_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.shot_settings import ShotSettings, read_settings
from upwelling.web.footage.views import shot_for

AROUND = 4
"""Pixels of the working frame on each side of the trace that count as its place."""


def _patch(frame: Frame, path: Path, step: str, region: Region | None, point: dict[str, Any]) -> Float32:
    """Scene light (N, 3) that reaches a step, in the region or around the trace."""
    height, width = frame.working.shape[:2]
    if region is not None:
        spans = region_spans(height, width, region)
        code = np.concatenate([frame.working[y, a:b] for y, (a, b) in enumerate(spans) if b > a])
    else:
        x, y = (min(max(whole(point.get(axis)) // frame.factor, 0), limit - 1) for axis, limit in (("x", width), ("y", height)))
        code = frame.working[max(y - AROUND, 0):y + AROUND + 1, max(x - AROUND, 0):x + AROUND + 1].reshape(-1, 3)
    return engine.run(engine.compile_operations(path.until("trim", step)), code)


@require_POST
def curve_line(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """The curve through points, for its plot; refused in words when the step would refuse them."""
    shot_for(request, slug, pk)
    body = json_body(request, "curve")
    kind = next((step for step in STEPS if step.model_fields["kind"].default == body.get("kind")), None)
    name = str(body.get("curve"))
    if kind is None or name not in kind.model_fields or name in OWN:
        raise Refused("There is no such curve. Reload the page.")
    try:
        curve = kind.model_validate({name: body.get("points")}).curve_of(name)
    except (ValidationError, KeyError) as error:
        words = error.errors()[0]["msg"].removeprefix("Value error, ") if isinstance(error, ValidationError) else "That is not a curve"
        raise Refused(words + ".") from None
    plot: Any = kind.model_fields[name].json_schema_extra
    low, high = plot["curve"]["x"]
    xs = np.linspace(low, high, 161)
    return JsonResponse({"xs": xs.round(5).tolist(), "ys": curve(xs).round(5).tolist()})


def _asked(request: HttpRequest, slug: str, pk: int) -> tuple[Shot, ShotSettings, str, Float32]:
    _, shot = shot_for(request, slug, pk)
    body = json_body(request, "place")
    settings = read_settings(body.get("settings"))
    if not shot.settled.is_settled or not shot.is_managed:
        raise Refused("Settle the encoding first: until then the file’s codes stand for no light.")
    _, region = read_choices(body)
    point, index = body.get("point"), body.get("frame")
    step = str(body.get("step") or "")
    if step not in [s.id for s in settings.steps]:
        raise Refused("That step is no longer in the trim. Reload the page.")
    frame = frame_of(shot, None if index is None else whole(index))
    shown = settings.model_copy(update={"trim_on": True})
    return shot, settings, step, _patch(frame, shot.path(shown), step, region, point if isinstance(point, dict) else {})


@require_POST
def neutral(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """The scene light that makes the marked patch neutral, and how far off it was."""
    shot, settings, step, patch = _asked(request, slug, pk)
    chosen = next(s for s in settings.steps if s.id == step)
    if not isinstance(chosen, WhiteBalance):
        raise Refused("Only white balance can be set from a neutral patch.")
    found = balance_neutral(patch.astype(np.float64).mean(axis=0), shot.path(settings).working_primaries, chosen.adaptation)
    return JsonResponse({"kelvin": round(found.kelvin, 1), "duv": round(found.duv, 5), "sentence": found.sentence()})


@require_POST
def colour_range(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """A colour range that takes in the marked patch."""
    shot, settings, _, patch = _asked(request, slug, pk)
    return JsonResponse({"range": range_around(patch, shot.path(settings).working_primaries).model_dump(mode="json")})
