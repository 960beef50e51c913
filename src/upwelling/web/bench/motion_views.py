"""Movies and sequences on the Bench: a strip of small frames for the scrubber, and runs of frames for playing at reduced size."""

from __future__ import annotations

import struct
from typing import Any

import numpy as np
from django.http import FileResponse, HttpRequest, HttpResponse
from django.views.decorators.http import require_GET, require_POST

from upwelling.core import engine
from upwelling.core.media import Damaged, Still, frames_of
from upwelling.core.path import Path
from upwelling.core.picture_views import to_bytes
from upwelling.web.bench.views import whole
from upwelling.web.errors import json_body
from upwelling.web.footage.models import Shot
from upwelling.web.footage.pictures import block_mean, jpeg, kept_picture, range_operations, view_operations
from upwelling.web.footage.shot_settings import read_settings
from upwelling.web.footage.views import shot_for

STRIP = 12
"""Frames in the scrubber's strip."""
STRIP_WIDTH, PLAY_WIDTH = 96, 480
MOST = 30
"""Frames in one answer at most."""


def _pictures(shot: Shot, path: Path, numbers: list[int], width: int) -> list[Any]:
    """Rendered frames, uint8 (H, W, 3), at about that width; the movie is opened once for all. A damaged frame is a hatched field."""
    program = engine.compile_operations((*path.operations(), *range_operations(path), *view_operations(path)))
    factor = max(1, shot.width // width)

    def shown(still: Still) -> Any:
        return to_bytes(engine.run(program, block_mean(still.code, factor)))

    try:
        return [shown(still) for still in _frames(shot, numbers)]
    except Damaged:
        made = []
        for number in numbers:
            try:
                made.append(shown(_frames(shot, [number])[0]))
            except Damaged:
                made.append(_hatched(shot.height // factor, shot.width // factor))
        return made


def _frames(shot: Shot, numbers: list[int]) -> list[Still]:
    return frames_of(shot.footage, numbers, shot.reading if shot.kind == "movie" else None)


def _hatched(height: int, width: int) -> Any:
    """What stands for a frame that is refused: no picture could be taken for it."""
    y, x = np.mgrid[:height, :width]
    field = np.where((x + y) // 6 % 2, 150, 90).astype(np.uint8)
    return np.ascontiguousarray(np.repeat(field[..., None], 3, axis=-1))


@require_GET
def filmstrip(request: HttpRequest, slug: str, pk: int) -> FileResponse:
    """Twelve frames side by side from first to last, as the shot is rendered now; made once for each fingerprint."""
    _, shot = shot_for(request, slug, pk)
    path = shot.path()
    numbers = [round(shot.first_frame + i * (shot.frames - 1) / (STRIP - 1)) for i in range(STRIP)]

    def make() -> bytes:
        different = sorted(set(numbers))
        made = dict(zip(different, _pictures(shot, path, different, STRIP_WIDTH), strict=True))
        return jpeg(np.ascontiguousarray(np.concatenate([made[n] for n in numbers], axis=1)), 85)

    place = kept_picture(shot, f"strip-{shot.first_frame}-{shot.frames}-{path.fingerprint[:24]}", make)
    return FileResponse(place.open("rb"), content_type="image/jpeg", headers={"Cache-Control": "private, max-age=31536000, immutable"})


@require_POST
def motion(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """A run of frames from ``first``, for playing: a uint32 count, the JPEGs' sizes as uint32, then the JPEGs."""
    _, shot = shot_for(request, slug, pk)
    body = json_body(request, "run of frames")
    first = min(max(whole(body.get("first")), shot.first_frame), shot.last_frame)
    count = min(max(whole(body.get("count")), 1), MOST, shot.last_frame - first + 1)
    path = shot.path(read_settings(body.get("settings")))
    jpegs = [jpeg(picture, 88) for picture in _pictures(shot, path, list(range(first, first + count)), PLAY_WIDTH)]
    head = struct.pack(f"<{count + 1}I", count, *(len(data) for data in jpegs))
    return HttpResponse(head + b"".join(jpegs), content_type="application/octet-stream", headers={"Cache-Control": "no-store"})
