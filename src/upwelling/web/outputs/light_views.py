"""Light levels of a shot's frames for HDR10: a part of the frames with each request, so that the page can show how far it is."""

from __future__ import annotations

from django.http import HttpRequest, JsonResponse
from django.views.decorators.http import require_POST

from upwelling.core import engine
from upwelling.core.outputs.mastering import LightLevel
from upwelling.web.bench.views import whole
from upwelling.web.errors import json_body
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.views import shot_for

FRAMES_A_REQUEST = 6


@require_POST
def light_level(request: HttpRequest, slug: str, pk: int) -> JsonResponse:
    """MaxCLL and MaxFALL of full frames from ``start`` on; ``next`` is the frame to go on with, null at the shot's end. Black bars count as picture."""
    body = json_body(request, "setting")
    _, shot = shot_for(request, slug, pk)
    start = min(max(whole(body.get("start") if body.get("start") is not None else shot.first_frame), shot.first_frame), shot.last_frame)
    end = min(start + FRAMES_A_REQUEST, shot.last_frame + 1)
    path = shot.path(None, str(body.get("output") or ""))
    program = engine.compile_operations(path.until("display"))
    level = LightLevel()
    for index in range(start, end):
        level = level.and_frame(path.target.nits(engine.run(program, frame_of(shot, index).still.code)))
    return JsonResponse({"max_cll": level.max_cll, "max_fall": level.max_fall, "frames": level.frames, "next": end if end <= shot.last_frame else None})
