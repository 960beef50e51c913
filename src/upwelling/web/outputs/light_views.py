"""Light levels of a shot's frames for HDR10: a part of the frames with each request, so that the page can show how far
it is.
"""

from __future__ import annotations

from django.http import HttpRequest, JsonResponse
from django.views.decorators.http import require_POST

from upwelling.core import engine
from upwelling.core.operations import Place
from upwelling.core.outputs.mastering import LightLevel
from upwelling.web.common.requests import json_body, text_of, whole
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.around import ShotFrames
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.productions.models import Production

FRAMES_A_REQUEST = 6


@require_POST
@shot_view()
def light_level(request: HttpRequest, production: Production, shot: Shot) -> JsonResponse:
    """MaxCLL and MaxFALL of full frames from ``start`` on; ``next`` is the frame to go on with, null at the shot's end.

    Black bars count as picture.
    """
    body = json_body(request, "setting")
    start = min(
        max(whole(body.get("start") if body.get("start") is not None else shot.first_frame), shot.first_frame),
        shot.last_frame,
    )
    end = min(start + FRAMES_A_REQUEST, shot.last_frame + 1)
    path = path_of(shot, None, text_of(body.get("output")))
    level = LightLevel()
    for index in range(start, end):
        code = frame_of(shot, index).still.code
        light = engine.run(
            engine.compile_operations(path.at(index).fed(ShotFrames(shot, index)).until("display")),
            code,
            place=Place.whole(code.shape[1], code.shape[0]),
        )
        level = level.and_frame(path.target.nits(light))
    return JsonResponse(
        {
            "max_cll": level.max_cll,
            "max_fall": level.max_fall,
            "frames": level.frames,
            "next": end if end <= shot.last_frame else None,
        }
    )
