"""What the Bench works out from a place in the picture: a light that makes it neutral,
a colour range that takes it in.
"""

from __future__ import annotations

from typing import Any, TypeVar

import numpy as np
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_POST
from pydantic import ValidationError

from upwelling.core import engine
from upwelling.core.arrays import Float32
from upwelling.core.colour.primaries import PRIMARIES
from upwelling.core.measure.noise_level import find_level
from upwelling.core.operations import Place
from upwelling.core.parameters import spoken
from upwelling.core.path import Path
from upwelling.core.raw.neutral import neutral_light
from upwelling.core.scopes.spans import Region, region_spans
from upwelling.core.solving import AIMS, solve
from upwelling.core.steps import STEPS, AnyStep, CalmNoise, ColourRange, Highlights, WhiteBalance, range_around, sampled
from upwelling.core.steps.base import OWN
from upwelling.core.steps.highlights import find_clips
from upwelling.core.steps.white_balance import UNEVEN, NeutralFound, balance_neutral, unevenness
from upwelling.web.bench.curve_ground import curve_line_of, has_curve
from upwelling.web.bench.hand import InHand, in_hand, put_steps
from upwelling.web.bench.scope import luma_weights, read_choices
from upwelling.web.common.requests import Refused, json_body, number, text_of, whole
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.frames import Frame, frame_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_at, path_of, raw_settings_of
from upwelling.web.footage.pictures import swatch
from upwelling.web.footage.shot_settings import ShotSettings, free_id, read_settings
from upwelling.web.productions.models import Production

S = TypeVar("S", CalmNoise, Highlights)
AROUND = 4
"""Pixels of the working frame on each side of the trace that count as its place."""


def _patch(frame: Frame, path: Path, at: tuple[InHand, str], region: Region | None, point: dict[str, Any]) -> Float32:
    """Scene light (N, 3) that reaches a step, in the region or around the trace."""
    height, width = frame.working.shape[:2]
    program = engine.compile_operations(path.until(*at))
    if region is not None:
        light = engine.run(program, frame.working, place=frame.place)
        return np.concatenate([light[y, a:b] for y, (a, b) in enumerate(region_spans(height, width, region)) if b > a])
    box = _around(frame, point)
    if "neighbours" in program.needs:
        light = engine.run(program, frame.working, place=frame.place)[box]
    else:
        light = engine.run(
            program, np.ascontiguousarray(frame.working[box]), place=frame.place.part(box[0].start, box[1].start)
        )
    return np.ascontiguousarray(light).reshape(-1, 3)


@require_POST
@shot_view()
def curve_line(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The curve through points, for its plot; refused in words when the step would refuse them."""
    body = json_body(request, "curve")
    kind = next((step for step in STEPS if step.model_fields["kind"].default == body.get("kind")), None)
    name = text_of(body.get("curve"))
    if kind is None or name not in kind.model_fields or name in OWN:
        raise Refused("There is no such curve. Reload the page.")
    if not has_curve(kind, name):
        raise Refused("That is not a curve.")
    try:
        return JsonResponse(curve_line_of(kind.model_validate({name: body.get("points")}), name))
    except ValidationError as error:
        raise Refused(spoken(error)) from None


def _settings_asked(request: HttpRequest, shot: Shot) -> tuple[dict[str, Any], ShotSettings]:
    body = json_body(request, "place")
    settings = read_settings(body.get("settings"))
    if not shot.settled.is_settled or not shot.is_managed:
        raise Refused("Settle the encoding first: until then the file’s codes stand for no light.")
    return body, settings


def _place(body: dict[str, Any], shot: Shot) -> tuple[Frame, Region | None, dict[str, Any]]:
    """The frame, region and point that a page asks about."""
    _, region = read_choices(body)
    point, index = body.get("point"), body.get("frame")
    return frame_of(shot, None if index is None else whole(index)), region, point if isinstance(point, dict) else {}


def _asked(request: HttpRequest, shot: Shot) -> tuple[dict[str, Any], ShotSettings, AnyStep, Float32]:
    body, settings = _settings_asked(request, shot)
    hand = in_hand(settings, body.get("stage"))
    step = hand.find(text_of(body.get("step")))
    if step is None:
        raise Refused(f"That step is no longer in the {hand.title}. Reload the page.")
    frame, region, point = _place(body, shot)
    path = path_at(shot, frame.number, hand.shown(settings), text_of(body.get("output")))
    return body, settings, step, _patch(frame, path, (hand.kind, step.id), region, point)


LOOK_ABOVE = (
    " It is neutral in scene light where it leaves this step; the Look above may still tint what the screen shows."
)


@require_POST
@shot_view()
def neutral(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The scene light that makes the marked patch neutral, and how far off it was."""
    _, settings, chosen, patch = _asked(request, shot)
    if not isinstance(chosen, WhiteBalance):
        raise Refused("Only white balance can be set from a neutral patch.")
    if chosen.changes_nothing:
        chosen = chosen.model_copy(update=chosen.first_move)
    path = path_of(shot, settings)
    found = balance_neutral(patch.astype(np.float64).mean(axis=0), path.working_primaries, chosen)
    doubt = neutral_doubt(patch, found, path)
    above = any(path.acting(("look", "group_look")))
    said = found.sentence() + (LOOK_ABOVE if above else " It is neutral where it leaves this step, in scene light.")
    return JsonResponse({**found.fields, "target": chosen.target, "sentence": said, "above": above, **doubt})


@require_POST
@shot_view()
def raw_neutral(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The light of the development that makes the marked patch of a raw shot neutral."""
    body, settings = _settings_asked(request, shot)
    raw = raw_settings_of(shot, settings)
    if raw is None:
        raise Refused("This is no raw file: its white balance is a step of the trim.")
    frame, region, point = _place(body, shot)
    codes = _codes(frame, region, point)
    found = neutral_light(codes, raw.profile)
    light = path_at(shot, frame.number, settings).to_working(codes.astype(np.float64).mean(axis=0))
    return JsonResponse(
        {
            "kelvin": found.kelvin,
            "duv": found.duv,
            "sentence": found.sentence(),
            "doubt": doubts_of(found.uneven),
            "swatch": swatch(light, path_of(shot, settings)),
        }
    )


FAR = 0.06
"""Distance from neutral in u'v' from which a person is asked first; our own limit: skin under most lights lies beyond.
"""


def neutral_doubt(patch: Float32, found: NeutralFound, path: Path) -> dict[str, Any]:
    """Why a patch may be no neutral, with its colour."""
    return {
        "doubt": doubts_of(unevenness(patch), found.uv),
        "swatch": swatch(patch.astype(np.float64).mean(axis=0), path),
    }


def doubts_of(spread: float, cast: float = 0.0) -> str:
    """Why a patch may be no neutral, in words, of its spread and its distance from neutral in u'v'; empty where nothing
    speaks against it.
    """
    doubts = []
    if spread > UNEVEN:
        doubts.append(f"it is uneven (its channels spread by {100 * spread:.0f} %), so it may lie over an edge")
    if cast > FAR:
        doubts.append(f"its cast is strong (u'v' {cast:.3f}), so it may be a colour and no grey")
    return f"Is this patch neutral? I{'; '.join(doubts)[1:]}." if doubts else ""


def _step_asked(
    request: HttpRequest, shot: Shot, kind: type[S], otherwise: str
) -> tuple[dict[str, Any], ShotSettings, S]:
    """What was sent, the settings in it, and the step in hand; raises Refused for one of another kind."""
    body, settings = _settings_asked(request, shot)
    step = in_hand(settings, body.get("stage")).find(text_of(body.get("step")))
    if not isinstance(step, kind):
        raise Refused(otherwise)
    return body, settings, step


@require_POST
@shot_view()
def clips(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """What the frame, or the region, tells of its clipped highlights: fields of the step, and a sentence."""
    body, settings, step = _step_asked(request, shot, Highlights, "Only highlights are rebuilt from what is clipped.")
    if shot.is_raw:
        raise Refused("A raw file’s highlights are rebuilt by its development, at the camera file stage.")
    frame, region, _ = _place(body, shot)
    hand = in_hand(settings, body.get("stage"))
    path = path_at(shot, frame.number, hand.shown(settings))
    light = engine.run(engine.compile_operations(path.until(hand.kind, step.id)), frame.working, place=frame.place)
    box = _box_of(frame, region)
    channels = path.source.primaries
    known = channels if channels.name in PRIMARIES else path.working_primaries
    found = find_clips(light[box], frame.working[box], frame.plateaus.starts, path.working_primaries, known)
    fields = {"clip": found.clip, "light": found.light, "channels": known.name}
    return JsonResponse({"fields": fields, "sentence": found.sentence})


def _spans(frame: Frame, region: Region | None) -> list[tuple[int, int, int]]:
    """First and last column, then row, of the working frame's part that is meant."""
    sizes = frame.working.shape[1::-1]
    return [part.indices(size) for part, size in zip(_box_of(frame, region)[::-1], sizes, strict=True)]


NOISE_SIDE = 384
"""Pixels of the side of what noise is read from, in the middle of the frame or of the region."""


@require_POST
@shot_view()
def noise(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The level at which the frame's noise is best calmed, and a sentence on whether that helps it."""
    body, settings, step = _step_asked(request, shot, CalmNoise, "Only noise is calmed to a level.")
    frame, region, _ = _place(body, shot)
    sides = [min(NOISE_SIDE, size) for size in (frame.width, frame.height)]
    x, y = (
        min(max(frame.factor * (first + last) // 2 - side // 2, 0), size - side)
        for (first, last, _), side, size in zip(_spans(frame, region), sides, (frame.width, frame.height), strict=True)
    )
    seen, hand = [], in_hand(settings, body.get("stage"))
    for index in (frame.number, frame.number + 1)[: 1 + (frame.number < shot.last_frame)]:
        path = path_at(shot, index, hand.shown(settings))
        program = engine.compile_operations(path.until(hand.kind, step.id))
        code, place, inner = frame_of(shot, index).part(x, y, sides[0], sides[1], (sides[0], sides[1]), path.reach)
        seen.append(np.ascontiguousarray(engine.run(program, code, place=place)[inner]))
    there = Place(frame.width, frame.height, x, y)
    found = find_level(step, seen[0], seen[1] if len(seen) > 1 else None, there)
    return JsonResponse({"fields": {"level": found.level}, "sentence": found.sentence})


@require_POST
@shot_view()
def solve_of(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The steps of the trim after one of them has brought the patch to what is aimed at, and what was reached."""
    body, settings = _settings_asked(request, shot)
    aim = text_of(body.get("aim"))
    if aim not in AIMS:
        raise Refused("There is no such aim. Reload the page.")
    level = body.get("level")
    frame, region, point = _place(body, shot)
    hand = in_hand(settings, body.get("stage"))
    if hand.kind == "finish":
        raise Refused("A level is reached before the rendering: take a trim in hand, the shot’s or a shared one.")
    path = path_at(shot, frame.number, hand.shown(settings), text_of(body.get("output"))).carried()
    if not path.rendering.on or not path.display.on:
        raise Refused("A level of the display is aimed at: switch rendering and display on first.")
    codes = _codes(frame, region, point)
    wanted = None if level is None else number(level) / (1 if aim == "hue" else 100)
    found = solve(aim, path, codes, luma_weights(path), wanted, hand.kind)  # type: ignore[arg-type]
    step = found.step
    if not step.id:
        step = step.model_copy(update={"id": free_id(hand.steps, step.kind)})
    kept = [step if own.id == step.id else own for own in hand.steps]
    steps = kept if found.step.id else [*kept, step]
    checked = in_hand(read_settings(put_steps(hand, settings, steps)), hand.kind)
    sent = [one.model_dump(mode="json") for one in checked.steps]
    return JsonResponse({"steps": sent, "step": step.id, "sentence": found.sentence})


def _codes(frame: Frame, region: Region | None, point: dict[str, Any]) -> Float32:
    """File codes (N, 3) of the working frame, in the region or around the trace."""
    height, width = frame.working.shape[:2]
    if region is not None:
        rows = enumerate(region_spans(height, width, region))
        return np.concatenate([frame.working[y, a:b] for y, (a, b) in rows if b > a])
    return np.ascontiguousarray(frame.working[_around(frame, point)]).reshape(-1, 3)


def _around(frame: Frame, point: dict[str, Any]) -> tuple[slice, slice]:
    """Rows and columns of the working frame that count as the place of the trace."""
    height, width = frame.working.shape[:2]
    y, x = (
        min(max(whole(point.get(axis)) // frame.factor, 0), limit - 1) for axis, limit in (("y", height), ("x", width))
    )
    return slice(max(y - AROUND, 0), y + AROUND + 1), slice(max(x - AROUND, 0), x + AROUND + 1)


def _box_of(frame: Frame, region: Region | None) -> tuple[slice, slice]:
    """The rectangle round a region of the working frame; all of it without one."""
    if region is None:
        return slice(None), slice(None)
    height, width = frame.working.shape[:2]
    top, left = int(region.top * height), int(region.left * width)
    return slice(top, max(int(region.bottom * height), top + 1)), slice(left, max(int(region.right * width), left + 1))


@require_POST
@shot_view()
def colour_range(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """A colour range that takes in the marked patch; with ``how`` "more" or "less" the range in hand, with the patch
    taken in or away.
    """
    body, settings, _, patch = _asked(request, shot)
    working = in_hand(settings, body.get("stage")).primaries(path_of(shot, settings))
    how, sent = text_of(body.get("how")), body.get("range")
    if how not in ("more", "less"):
        return JsonResponse({"range": range_around(patch, working).model_dump(mode="json"), "join": "", "sentence": ""})
    try:
        known = ColourRange.model_validate(sent) if sent else None
    except ValidationError as error:
        raise Refused(spoken(error)) from None
    found = sampled(known, how == "more", patch, working)
    return JsonResponse({"range": found.range.model_dump(mode="json"), "join": found.join, "sentence": found.sentence})
