"""Movies and sequences on the Bench: a strip of small frames for the scrubber, and runs of frames for playing at
reduced size.
"""

from __future__ import annotations

import struct
from typing import Any

import numpy as np
from django.http import FileResponse, HttpRequest, HttpResponse
from django.views.decorators.http import require_GET, require_POST

from upwelling.core import engine
from upwelling.core.media import Damaged
from upwelling.core.operations import Place
from upwelling.core.path import Path
from upwelling.core.scopes.picture_views import to_bytes
from upwelling.core.viewing import Viewing
from upwelling.web.bench.viewing import NONE, seen_operations, viewing_of
from upwelling.web.common.downloads import FOR_EVER, picture_file
from upwelling.web.common.pictures import jpeg
from upwelling.web.common.requests import json_body, whole
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.around import ShotFrames
from upwelling.web.footage.frames import small_codes
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.pictures import kept_picture, range_operations, view_operations
from upwelling.web.footage.shot_settings import read_settings
from upwelling.web.productions.models import Production

STRIP = 12
"""Frames in the scrubber's strip."""
STRIP_WIDTH, PLAY_WIDTH = 96, 480
MOST = 30
"""Frames in one answer at most."""


def _pictures(shot: Shot, path: Path, numbers: list[int], width: int, viewing: Viewing = NONE) -> list[Any]:
    """Rendered frames, uint8 (H, W, 3), at about that width; the movie is opened once for all.

    A damaged frame is a hatched field.
    """
    factor = max(1, shot.width // width)
    place = Place(shot.width, shot.height, step=factor)

    def program(now: Path) -> engine.Program:
        if viewing.acts:
            return engine.compile_operations(seen_operations(viewing, now))
        return engine.compile_operations((*now.operations(), *range_operations(now), *view_operations(now)))

    for_all = None if path.moves else program(path)

    def shown(number: int, code: Any) -> Any:
        made = for_all or program(path.at(number).fed(ShotFrames(shot, number)))
        return to_bytes(engine.run(made, code, place=place))

    try:
        return [shown(number, code) for number, code in zip(numbers, small_codes(shot, numbers, factor), strict=True)]
    except Damaged:
        made = []
        for number in numbers:
            try:
                made.append(shown(number, small_codes(shot, [number], factor)[0]))
            except Damaged:
                made.append(_hatched(shot.height // factor, shot.width // factor))
        return made


def _hatched(height: int, width: int) -> Any:
    """What stands for a frame that is refused: no picture could be taken for it."""
    y, x = np.mgrid[:height, :width]
    field = np.where((x + y) // 6 % 2, 150, 90).astype(np.uint8)
    return np.ascontiguousarray(np.repeat(field[..., None], 3, axis=-1))


@require_GET
@shot_view()
def filmstrip(request: HttpRequest, production: Production, shot: Shot) -> FileResponse:
    """Twelve frames side by side from first to last, as the shot is rendered now; made once for each fingerprint."""
    path = path_of(shot)
    numbers = [round(shot.first_frame + i * (shot.frames - 1) / (STRIP - 1)) for i in range(STRIP)]

    def make() -> bytes:
        different = sorted(set(numbers))
        made = dict(zip(different, _pictures(shot, path, different, STRIP_WIDTH), strict=True))
        return jpeg(np.ascontiguousarray(np.concatenate([made[n] for n in numbers], axis=1)), 85)

    place = kept_picture(shot, f"strip-{shot.first_frame}-{shot.frames}-{path.fingerprint[:24]}", make)
    return picture_file(place, FOR_EVER)


@require_POST
@shot_view()
def motion(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """A run of frames from ``first``, one in ``every``, for playing: a uint32 count, the JPEGs' sizes as uint32, then
    the JPEGs; under the settings that were sent, or those that are saved.
    """
    body = json_body(request, "run of frames")
    first = min(max(whole(body.get("first")), shot.first_frame), shot.last_frame)
    every = min(max(whole(body.get("every", 1)), 1), MOST)
    count = min(max(whole(body.get("count")), 1), MOST)
    numbers = list(range(first, shot.last_frame + 1, every))[:count]
    path = path_of(shot, read_settings(body["settings"]) if "settings" in body else None)
    viewing = viewing_of(production, body.get("viewing"))
    jpegs = [jpeg(picture, 88) for picture in _pictures(shot, path, numbers, PLAY_WIDTH, viewing)]
    head = struct.pack(f"<{len(jpegs) + 1}I", len(jpegs), *(len(data) for data in jpegs))
    return HttpResponse(
        head + b"".join(jpegs), content_type="application/octet-stream", headers={"Cache-Control": "no-store"}
    )
