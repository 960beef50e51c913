"""Following a shape over a movie's frames: one line of JSON for each frame as it is found, until the end, a loss, or
the page stops reading.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, get_args

from django.http import HttpRequest, StreamingHttpResponse
from django.views.decorators.http import require_POST

from upwelling.core.colour.primaries import primaries
from upwelling.core.errors import UpwellingError
from upwelling.core.follow import Follower, Lost, Model, Stand
from upwelling.core.media import frames_of
from upwelling.core.operations import Place
from upwelling.core.steps.selections import Shape
from upwelling.web.common.lanes import Answer, Lane
from upwelling.web.common.pictures import WORKING_WIDTH, block_mean
from upwelling.web.common.requests import Refused, json_body, one_of, text_of, whole
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.models import Shot
from upwelling.web.footage.shot_settings import read_settings
from upwelling.web.productions.models import Production

RUN = 8
"""Frames that are decoded together."""
MOST_FRAMES = 1500
"""A track holds so many keys and a few set by hand."""
LANE = Lane(2)


@dataclass(frozen=True)
class Wish:
    """A shape as it stands at the first of the frames, those in order, and what is followed of it."""

    shape: Shape
    numbers: list[int]
    model: Model


def _asked(shot: Shot, body: dict[str, Any]) -> Wish:
    """What a page asks for; raises Refused."""
    if shot.frames < 2 or shot.is_raw:
        raise Refused("A shape is followed over the frames of a movie or sequence; this shot has one frame.")
    settings = read_settings(body.get("settings"))
    frame = min(max(whole(body.get("frame")), shot.first_frame), shot.last_frame)
    step = next((one for one in settings.steps if one.id == text_of(body.get("step"))), None)
    limit = step.at(frame).limit if step else None
    name = text_of(body.get("selection"))
    shape = next((one for one in (limit.selections if limit else ()) if one.id == name), None)
    if not isinstance(shape, Shape):
        raise Refused("Only a shape can be followed. Choose one of the step in hand.")
    backwards = body.get("backwards") is True
    numbers = list(range(frame, shot.first_frame - 1, -1) if backwards else range(frame, shot.last_frame + 1))
    if len(numbers) < 2:
        raise Refused("There is no frame to follow it to. Go to another frame, or follow the other way.")
    return Wish(shape, numbers[:MOST_FRAMES], one_of(body.get("model"), get_args(Model), "turn"))


@require_POST
@shot_view(change=True)
def follow(request: HttpRequest, production: Production, shot: Shot) -> StreamingHttpResponse:
    """Follows a shape of the trim from a frame on, forwards or backwards."""
    wish = _asked(shot, json_body(request, "shape"))
    person = request.user.pk or 0
    place = LANE.take(person)
    return StreamingHttpResponse(Answer(LANE, person, place, _lines(shot, wish)), content_type="application/x-ndjson")


def _codes(shot: Shot, numbers: list[int]) -> Iterator[Any]:
    """The frames' codes at working size, one by one."""
    factor = max(1, -(-shot.width // WORKING_WIDTH))
    reading = shot.reading if shot.kind == "movie" else None
    for first in range(0, len(numbers), RUN):
        some = numbers[first : first + RUN]
        stills = dict(zip(sorted(some), frames_of(shot.footage, some, reading), strict=True))
        for number in some:
            yield block_mean(stills[number].code, factor)


def _lines(shot: Shot, wish: Wish) -> Iterator[str]:
    """The keys of each frame as JSON, then a sentence."""
    shape, numbers, follower = wish.shape, wish.numbers, None
    number = numbers[0]
    try:
        for index, (number, code) in enumerate(zip(numbers, _codes(shot, numbers), strict=True)):
            if follower is None:
                follower = _begun(shot, wish, code)
                found = Stand(shape.x, shape.y, 1.0, 0.0, 1.0)
            else:
                found = follower.step(code)
            share = index / (len(numbers) - 1)
            keys = _keys(wish, found)
            yield _line(frame=number, confidence=round(found.confidence, 3), done=round(share, 3), **keys)
    except Lost as loss:
        why = "What lay inside it is no longer seen." if follower else "There is too little in it to hold on to."
        yield _line(lost=number, confidence=round(loss.confidence, 3), said=f"Lost at frame {number}. {why}")
    except UpwellingError as error:
        yield _line(error=str(error))
    else:
        yield _line(said=f"Followed to frame {number}.")


def _begun(shot: Shot, wish: Wish, code: Any) -> Follower:
    place = Place(shot.width, shot.height, step=shot.width // code.shape[1])
    plain = wish.shape.model_copy(update={"invert": False})
    weight = plain.operation(primaries("AP1")).weight(code, place)
    return Follower(code, weight, plain.x, plain.y, wish.model)


def _keys(wish: Wish, found: Stand) -> dict[str, float]:
    """What of the shape is keyed, within the ranges it may have."""
    shape, fields = wish.shape, type(wish.shape).model_fields
    wanted = {"x": found.x, "y": found.y}
    if wish.model != "move":
        wanted["scale"] = shape.scale * found.scale
    if wish.model == "turn":
        wanted["angle"] = shape.angle + found.angle
    held = {}
    for name, value in wanted.items():
        bounds: Any = fields[name].json_schema_extra
        held[name] = round(min(max(value, bounds["low"]), bounds["high"]), 5)
    return held


def _line(**body: Any) -> str:
    return json.dumps(body, ensure_ascii=False) + "\n"
