"""Following a shape over a movie's frames: the keys of each frame as it is found, until the end, a loss, or a key that
a person set.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from upwelling.core.colour.primaries import primaries
from upwelling.core.follow import Follower, Lost, Model, Stand, led_to
from upwelling.core.operations import Place
from upwelling.core.steps.selections import Shape
from upwelling.web.common.pictures import WORKING_WIDTH
from upwelling.web.footage.frames import small_codes
from upwelling.web.footage.models import Shot

RUN = 8
"""Frames that are decoded together."""


@dataclass(frozen=True)
class FollowWish:
    """A shape as it stands at the first of the frames, those in order, and what is followed of it.

    ``end`` is the shape at the last of them where a person set a key there.
    """

    shape: Shape
    numbers: list[int]
    model: Model
    end: Shape | None = None


def found(shot: Shot, wish: FollowWish) -> Iterator[dict[str, Any]]:
    """The keys of each frame, how sure they are and what share is done; last a sentence, and the frame of a loss.

    Raises UnreadableFile of a frame that cannot be read.
    """
    numbers, follower = wish.numbers, None
    stands: list[Stand] = []
    number = numbers[0]
    try:
        for index, (number, code) in enumerate(zip(numbers, _codes(shot, numbers), strict=True)):
            if follower is None:
                follower = _begun(shot, wish, code)
                stands.append(Stand(wish.shape.x, wish.shape.y, 1.0, 0.0, 1.0))
            else:
                stands.append(follower.step(code))
            if wish.end is None or number != numbers[-1]:
                yield {"done": round(index / (len(numbers) - 1), 3), **_keys(wish, number, stands[-1])}
        if wish.end is not None:
            yield {"frame": number, "done": 1.0, "confidence": round(stands[-1].confidence, 3)}
            yield from _between(wish, stands, wish.end)
    except Lost as loss:
        why = "What lay inside it is no longer seen." if follower else "There is too little in it to hold on to."
        said = f"Lost at {shot.frame_said(number)}. {why}"
        yield {"lost": number, "confidence": round(loss.confidence, 3), "said": said}
    else:
        where = ", where a key was set by hand; the way there ends in it" if wish.end else ""
        yield {"said": f"Followed to {shot.frame_said(number)}{where}."}


def _between(wish: FollowWish, stands: list[Stand], end: Shape) -> Iterator[dict[str, Any]]:
    """The keys between two that a person set, made to end in the second."""
    shape = wish.shape
    there = Stand(end.x, end.y, end.scale / shape.scale, end.angle - shape.angle, 1.0)
    for number, stand in list(zip(wish.numbers, led_to(stands, there), strict=True))[1:-1]:
        yield {"done": 1.0, **_keys(wish, number, stand)}


def _begun(shot: Shot, wish: FollowWish, code: Any) -> Follower:
    place = Place(shot.width, shot.height, step=shot.width // code.shape[1])
    plain = wish.shape.model_copy(update={"invert": False})
    weight = plain.operation(primaries("AP1")).weight(code, place)
    return Follower(code, weight, plain.x, plain.y, wish.model)


def _keys(wish: FollowWish, frame: int, found: Stand) -> dict[str, float]:
    """What of the shape is keyed at a frame, within the ranges it may have, and how sure that is."""
    shape, fields = wish.shape, type(wish.shape).model_fields
    wanted = {"x": found.x, "y": found.y}
    if wish.model != "move":
        wanted["scale"] = shape.scale * found.scale
    if wish.model == "turn":
        wanted["angle"] = shape.angle + found.angle
    held: dict[str, float] = {"frame": frame, "confidence": round(found.confidence, 3)}
    for name, value in wanted.items():
        bounds: Any = fields[name].json_schema_extra
        held[name] = round(min(max(value, bounds["low"]), bounds["high"]), 5)
    return held


def _codes(shot: Shot, numbers: list[int]) -> Iterator[Any]:
    """The frames' codes at working size, one by one."""
    factor = max(1, -(-shot.width // WORKING_WIDTH))
    for first in range(0, len(numbers), RUN):
        some = numbers[first : first + RUN]
        codes = dict(zip(sorted(some), small_codes(shot, some, factor), strict=True))
        for number in some:
            yield codes[number]
