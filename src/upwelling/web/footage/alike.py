"""What a shot would be under each log encoding that its levels allow: pictures and numbers side by side, and the
choice.
"""

from __future__ import annotations

import copy
from typing import Any

from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from upwelling.core.encodings import ENCODINGS
from upwelling.core.recognise.likeness import Likeness, families, likenesses
from upwelling.core.recognise.signal import is_log
from upwelling.web.common.downloads import picture_file
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_at
from upwelling.web.footage.pictures import kept_picture, thumbnail
from upwelling.web.footage.shot_settings import LEFT_OUT, ShotSettings
from upwelling.web.productions.models import Production

SHOWN = 12
"""Encodings that are shown; those behind are unlikelier still."""
WIDTH = 320


def could_be(shot: Shot) -> tuple[Likeness, ...]:
    """Log encodings a shot's levels allow, the likeliest first; none of a raw mosaic, which says what it is."""
    if shot.is_raw or not shot.signal_json:
        return ()
    return families(likenesses(frame_of(shot).working, shot.signal, shot.settled.range))


def taken_for(shot: Shot, encoding: str) -> Shot:
    """The shot as if it were of an encoding, not to be saved."""
    other = copy.copy(shot)
    other.encoding, other.managed = encoding, True
    return other


def likeness_rows(found: Likeness) -> list[tuple[str, str]]:
    """What the picture would be, as name and value."""
    facts = [
        ("Mean, from mid grey", f"{found.stops:+.1f} stops".replace("-", "−")),
        ("Brightest surface", f"{100 * found.brightest:.0f} %"),
        ("Stronger colours, C/L", f"{found.colour:.2f}"),
    ]
    return facts if found.skin is None else [*facts, ("Skin’s hue off by", f"{found.skin:+.0f}°".replace("-", "−"))]


@require_GET
@shot_view()
def alike(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The page."""
    found = could_be(shot)
    rows: list[dict[str, Any]] = [{"encoding": one.encoding, "facts": likeness_rows(one)} for one in found[:SHOWN]]
    return render(
        request,
        "footage/alike.html",
        {"production": production, "shot": shot, "rows": rows, "further": [one.encoding for one in found[SHOWN:]]},
    )


@require_GET
@shot_view()
def alike_picture(request: HttpRequest, production: Production, shot: Shot) -> FileResponse:
    """The shot as it would be rendered if it were of the log encoding that is asked for, without its trim."""
    name = request.GET.get("encoding", "")
    if shot.is_raw or name not in ENCODINGS or not is_log(ENCODINGS[name]):
        raise Http404
    path = path_at(taken_for(shot, name), chosen=ShotSettings(camera_trim=LEFT_OUT, group_trim=LEFT_OUT))
    place = kept_picture(
        shot, f"{shot.frame}-{WIDTH}-{path.fingerprint[:24]}", lambda: thumbnail(path, frame_of(shot), WIDTH)
    )
    return picture_file(place, "private, max-age=600")
