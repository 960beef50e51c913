"""A frame as a still to send: full size, saying what it is, with or without a caption."""

from __future__ import annotations

import tempfile
from pathlib import Path as FilePath

from django.http import HttpRequest, HttpResponse
from django.utils.http import content_disposition_header
from django.utils.text import slugify
from django.views.decorators.http import require_GET

from upwelling.core.delivery.sending import CAPTION, FORMS, still_codes, with_caption, write_to_send
from upwelling.core.operations import Place
from upwelling.web.common.lettering import line_of_text
from upwelling.web.common.requests import Refused, one_of, whole_or
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_at
from upwelling.web.productions.models import Production

TYPES = {"png": "image/png", "tif": "image/tiff", "exr": "image/x-exr"}


@require_GET
@shot_view()
def still_to_send(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The frame asked for as it is saved, with all layers, for one of the production's outputs."""
    asked = request.GET
    kind = one_of(asked.get("as"), list(FORMS), None)
    if kind is None:
        raise Refused("A still is sent as PNG, TIFF or EXR. Choose one of them.")
    captioned = asked.get("caption") == "on"
    if captioned and kind == "exr":
        raise Refused("An EXR holds the scene’s light, in which a caption has no place. Leave the caption out.")
    frame = min(max(whole_or(asked.get("frame"), shot.frame), shot.first_frame), shot.last_frame)
    output = asked.get("output", "")
    path = path_at(shot, frame, None, output)
    code = frame_of(shot, frame).still.code
    codes = still_codes(code, path, kind, Place.whole(shot.width, shot.height))
    if captioned:
        said = (production.name, shot.name, shot.frame_said(frame), path.target.name, path.fingerprint[:12])
        letters = line_of_text(" · ".join(said), codes.shape[1], max(codes.shape[0] // CAPTION, 20))
        codes = with_caption(codes, letters)
    with tempfile.TemporaryDirectory() as folder:
        place = FilePath(folder) / f"still.{kind}"
        write_to_send(place, codes, path, kind)
        body = place.read_bytes()
    name = f"{slugify(shot.name) or 'still'}-{frame}-{slugify('scene' if kind == 'exr' else path.target.name)}.{kind}"
    headers = {"Content-Disposition": content_disposition_header(True, name) or ""}
    return HttpResponse(body, content_type=TYPES[kind], headers=headers)
