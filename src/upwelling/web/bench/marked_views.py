"""What a region of a shot is: a white, a grey, skin; kept with the shot for those who judge it by that."""

from __future__ import annotations

from typing import get_args

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_POST

from upwelling.core.match.first import MarkKind
from upwelling.web.bench.scope import read_choices
from upwelling.web.common.requests import Refused, json_body, text_of, whole
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.models import Shot
from upwelling.web.productions.models import Production


@require_POST
@shot_view(change=True)
def mark_region(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Keeps what the region is, at the frame it was drawn on; without a region forgets it."""
    body = json_body(request, "mark")
    kind = text_of(body.get("kind"))
    if kind not in get_args(MarkKind):
        raise Refused("A region can be marked as white, grey or skin.")
    _, region = read_choices(body)
    marked = {name: row for name, row in shot.known_regions.items() if name != kind}
    if region is not None:
        frame = min(max(whole(body.get("frame")), shot.first_frame), shot.last_frame)
        marked[kind] = {"region": region.model_dump(mode="json"), "frame": frame}
    Shot.objects.filter(pk=shot.pk).update(known_regions=marked)
    return JsonResponse({"marked": marked})
