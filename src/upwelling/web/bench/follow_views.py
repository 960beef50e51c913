"""Following a shape over a movie's frames: one line of JSON for each frame as it is found, until the end, a loss, or
the page stops reading.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any, get_args

from django.http import HttpRequest, StreamingHttpResponse
from django.views.decorators.http import require_POST

from upwelling.core.errors import UpwellingError
from upwelling.core.follow import Model
from upwelling.core.steps.selections import Shape
from upwelling.web.bench.following import FollowWish, found
from upwelling.web.common.lanes import Answer, Lane
from upwelling.web.common.requests import Refused, json_body, one_of, text_of, whole
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.models import Shot
from upwelling.web.footage.shot_settings import read_settings
from upwelling.web.productions.models import Production

MOST_FRAMES = 1500
"""A track holds so many keys and a few set by hand."""
LANE = Lane(2)


def _asked(shot: Shot, body: dict[str, Any]) -> FollowWish:
    """What a page asks for; raises Refused."""
    if shot.frames < 2:
        raise Refused("A shape is followed over the frames of a movie or sequence; this shot has one frame.")
    settings = read_settings(body.get("settings"))
    frame = min(max(whole(body.get("frame")), shot.first_frame), shot.last_frame)
    step = next((one for one in settings.steps if one.id == text_of(body.get("step"))), None)
    limit = step.limit if step else None
    name = text_of(body.get("selection"))
    shape = next((one for one in (limit.selections if limit else ()) if one.id == name), None)
    if not isinstance(shape, Shape):
        raise Refused("Only a shape can be followed. Choose one of the step in hand.")
    backwards = body.get("backwards") is True
    last = shot.first_frame if backwards else shot.last_frame
    keyed = {key for track in shape.tracks for key, _ in track.keys}
    by_hand = [n for n in shape.by_hand if n in keyed and (last <= n < frame if backwards else frame < n <= last)]
    end = (max(by_hand) if backwards else min(by_hand)) if by_hand else None
    last = last if end is None else end
    numbers = list(range(frame, last - 1, -1) if backwards else range(frame, last + 1))[:MOST_FRAMES]
    if len(numbers) < 2:
        raise Refused("There is no frame to follow it to. Go to another frame, or follow the other way.")
    stands = shape.at(end) if end is not None and numbers[-1] == end else None
    return FollowWish(shape.at(frame), numbers, one_of(body.get("model"), get_args(Model), "turn"), stands)


@require_POST
@shot_view(change=True)
def follow(request: HttpRequest, production: Production, shot: Shot) -> StreamingHttpResponse:
    """Follows a shape of the trim from a frame on, forwards or backwards."""
    wish = _asked(shot, json_body(request, "shape"))
    person = request.user.pk or 0
    place = LANE.take(person)
    return StreamingHttpResponse(Answer(LANE, person, place, _lines(shot, wish)), content_type="application/x-ndjson")


def _lines(shot: Shot, wish: FollowWish) -> Iterator[str]:
    """What is found, a line of JSON each."""
    try:
        for one in found(shot, wish):
            yield json.dumps(one, ensure_ascii=False) + "\n"
    except UpwellingError as error:
        yield json.dumps({"error": str(error)}, ensure_ascii=False) + "\n"
