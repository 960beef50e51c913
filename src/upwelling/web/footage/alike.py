"""What a shot would be under each encoding and range that its levels allow: pictures and numbers side by side, and the
choice, for it and for clips like it.
"""

from __future__ import annotations

import copy
from dataclasses import dataclass
from typing import Any

import numpy as np
from django.contrib import messages
from django.db import transaction
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.charts.patch_chart import chart_linear
from upwelling.core.colour.primaries import primaries, rgb_to_xyz
from upwelling.core.encodings import ENCODINGS, Range
from upwelling.core.recognise.likeness import OTHERS, Likeness, families, likenesses, others
from upwelling.core.recognise.signal import code_10bit, is_log, ruled_out
from upwelling.core.scopes.levels import LEVEL_HIGH, LEVEL_LOW, level_picture, parade
from upwelling.core.scopes.spans import whole
from upwelling.web.common.downloads import picture_file
from upwelling.web.common.pictures import jpeg
from upwelling.web.common.requests import one_of
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.listing import loaded
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_at
from upwelling.web.footage.pictures import kept_picture, thumbnail
from upwelling.web.footage.recognition import maker_and_model
from upwelling.web.footage.shot_settings import LEFT_OUT, ShotSettings
from upwelling.web.footage.shots import settle_encoding
from upwelling.web.productions.models import Production

SHOWN = 16
"""Logs that are shown, by their ranges; those behind are unlikelier still."""
WIDTH = 320
RANGES: tuple[Range, ...] = ("full", "legal")
MOST_LIKE = 500
SKIN = float((chart_linear("BT.709") @ rgb_to_xyz(primaries("BT.709")).T)[1, 1])
"""Reflectance of the light skin of the 24-patch chart."""
STANDS = (("grey 18 %", 0.18), ("light skin", SKIN), ("white 90 %", 0.90))
LARGE = ("HLG/BT.2020", "HLG display/BT.2020")
"""Two meanings of the same codes, which only the pictures tell apart."""


@dataclass(frozen=True)
class CouldBe:
    """What a shot could be, each list the likeliest first: camera logs, and television, HDR and the web."""

    logs: tuple[Likeness, ...] = ()
    others: tuple[Likeness, ...] = ()


def could_be(shot: Shot) -> CouldBe:
    """Of both ranges; nothing of a raw mosaic, which says what it is."""
    if shot.is_raw or not shot.signal_json:
        return CouldBe()
    logs: list[Likeness] = []
    rest: list[Likeness] = []
    for code_range in RANGES:
        # A movie's planes are decoded by the range that is tried.
        code = frame_of(taken_for(shot, shot.encoding, code_range)).working
        logs += likenesses(code, shot.signal, code_range)
        rest += others(code, shot.signal, code_range)
    first = sorted(logs, key=lambda one: one.against)
    return CouldBe(families(tuple(first)), tuple(sorted(rest, key=lambda one: one.against)))


def taken_for(shot: Shot, encoding: str, code_range: str = "") -> Shot:
    """The shot as if it were of an encoding and range, not to be saved."""
    other = copy.copy(shot)
    other.encoding, other.managed = encoding, True
    other.range = code_range or shot.range
    return other


def likeness_rows(found: Likeness) -> list[tuple[str, str]]:
    """What the picture would be, as name and value."""
    facts = [
        ("Mean, from mid grey", f"{found.stops:+.1f} stops".replace("-", "−")),
        ("Brightest surface", f"{100 * found.brightest:.0f} %"),
        ("Stronger colours, C/L", f"{found.colour:.2f}"),
    ]
    return facts if found.skin is None else [*facts, ("Skin’s hue off by", f"{found.skin:+.0f}°".replace("-", "−"))]


def _row(shot: Shot, found: Likeness) -> dict[str, Any]:
    member, now = ENCODINGS[found.encoding], shot.settled
    stands = [(name, code_10bit(member, reflectance, found.range)) for name, reflectance in STANDS]
    span = LEVEL_HIGH - LEVEL_LOW
    return {
        "encoding": found.encoding,
        "range": found.range,
        "facts": likeness_rows(found),
        "says": found.says,
        "explanation": member.explanation if found.encoding in OTHERS else "",
        "large": found.encoding in LARGE,
        "in_force": (now.encoding, now.range) == (found.encoding, found.range),
        "stands": [(name, f"{code:.0f}", f"{100 * (LEVEL_HIGH - code / 1023) / span:.1f}") for name, code in stands],
    }


@require_GET
@shot_view()
def alike(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The page."""
    found = could_be(shot)
    parts = [
        ("Television, HDR and the web", [_row(shot, one) for one in found.others]),
        ("Camera logs", [_row(shot, one) for one in found.logs[:SHOWN]]),
    ]
    seen = {
        "shot": shot,
        "parts": [(title, rows) for title, rows in parts if rows],
        "logs": bool(found.logs),
        "further": [f"{one.encoding} {one.range}" for one in found.logs[SHOWN:]],
        "like": len(like_it(shot)),
    }
    return render(request, "footage/alike.html", seen)


def like_it(shot: Shot) -> list[Shot]:
    """Clips of the production that nobody has settled and that were made as this one was: maker, codec, size, depth."""
    rows = shot.production.shots.filter(
        kind=shot.kind, codec=shot.codec, width=shot.width, height=shot.height, depth=shot.depth, ycbcr=shot.ycbcr
    ).exclude(state__in=(Shot.State.SETTLED, Shot.State.KNOWN))
    numbers = list(rows.exclude(pk=shot.pk).values_list("pk", flat=True)[:MOST_LIKE])
    maker = maker_and_model(shot.metadata)
    return [one for one in loaded(shot.production, numbers) if maker_and_model(one.metadata) == maker]


def _asked(asked: Any) -> tuple[str, Range]:
    """The encoding and range of an address or a form, where they are among those that are tried; raises Http404."""
    name = asked.get("encoding", "")
    code_range = one_of(asked.get("range", "full"), RANGES, None)
    if code_range is None or name not in ENCODINGS or not (name in OTHERS or is_log(ENCODINGS[name])):
        raise Http404
    return name, code_range


@require_GET
@shot_view()
def alike_picture(request: HttpRequest, production: Production, shot: Shot) -> FileResponse:
    """The shot as it would be rendered if it were of the encoding and range that are asked for, without its trim."""
    name, code_range = _asked(request.GET)
    if shot.is_raw:
        raise Http404
    taken = taken_for(shot, name, code_range)
    path = path_at(taken, chosen=ShotSettings(camera_trim=LEFT_OUT, group_trim=LEFT_OUT))
    place = kept_picture(
        shot, f"{shot.frame}-{WIDTH}-{path.fingerprint[:24]}", lambda: thumbnail(path, frame_of(taken), WIDTH)
    )
    return picture_file(place, "private, max-age=600")


@require_GET
@shot_view()
def alike_parade(request: HttpRequest, production: Production, shot: Shot) -> FileResponse:
    """The parade of the file's own codes, as they are decoded by a range."""
    code_range = one_of(request.GET.get("range", "full"), RANGES, "full")
    if shot.is_raw:
        raise Http404

    def make() -> bytes:
        code = np.ascontiguousarray(frame_of(taken_for(shot, shot.encoding, code_range)).working)
        height, width = code.shape[:2]
        shades = level_picture(parade(code, whole(height, width)), height, width)[:, ::-1]
        levels, columns = shades.shape[1:]
        picture = np.zeros((levels, 3 * columns, 3), np.uint8)
        for plane in range(3):
            picture[:, plane * columns : (plane + 1) * columns, plane] = shades[plane]
        return jpeg(picture, 90)

    return picture_file(kept_picture(shot, f"{shot.frame}-parade-{code_range}", make), "private, max-age=600")


@require_POST
@shot_view(change=True)
def take_alike(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Takes the shot for an encoding and range, and clips like it where that is wanted and their levels allow it."""
    name, code_range = _asked(request.POST)
    wanted = like_it(shot) if "others" in request.POST else []
    against = [one.name for one in wanted if one.signal_json and ruled_out(one.signal, ENCODINGS[name], code_range)]
    with transaction.atomic():
        settle_encoding(shot, name, code_range)
        for one in wanted:
            if one.name not in against:
                settle_encoding(one, name, code_range)
    taken = len(wanted) - len(against)
    if taken:
        messages.success(request, f"{shot.name} and {taken} like it are taken for {name}, {code_range} range.")
    if against:
        messages.warning(request, f"Left as they are, as their levels forbid it: {', '.join(against)}.")
    return redirect("bench", production.slug, shot.pk)
