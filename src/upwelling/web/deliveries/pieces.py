"""A shot's frames as a piece of an order."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings

from upwelling.core.delivery.make import piece_of
from upwelling.core.delivery.order import Piece
from upwelling.core.media.timecode import Timecode
from upwelling.core.path import Path
from upwelling.web.common.requests import Refused, whole_or
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of


def spans_of(given: Any) -> dict[str, tuple[str, str]]:
    """The frames that shots begin and end at as a form has them, by the shots' numbers."""
    numbers = {name.partition(".")[2] for name in given if name.startswith(("first.", "last."))}
    return {pk: (str(given.get(f"first.{pk}", "")), str(given.get(f"last.{pk}", ""))) for pk in sorted(numbers)}


def span_of(shot: Shot, given: Mapping[str, Any]) -> tuple[int | None, int | None]:
    """First and last frame that a form asks for of a shot, None where it leaves them; raises Refused."""
    first, last = (_frame_of(shot, str(given.get(f"{end}.{shot.pk}", "")).strip(), end) for end in ("first", "last"))
    begins, ends = (shot.first_frame if first is None else first), (shot.last_frame if last is None else last)
    if begins > ends:
        raise Refused(f"Its first frame, {begins}, is after its last, {ends}.")
    return first, last


def _frame_of(shot: Shot, said: str, end: str) -> int | None:
    """A frame as its number or its timecode."""
    if not said:
        return None
    number = whole_or(said, -1)
    start = shot.timecode(shot.first_frame)
    if number < 0 and start:
        rate = shot.runs_at or shot.rate
        zero, label = Timecode.read(start, rate), Timecode.read(said, rate)
        if zero is not None and label is not None:
            number = shot.first_frame + label.count - zero.count
    if not shot.first_frame <= number <= shot.last_frame:
        labels = f", or {start} to {shot.timecode(shot.last_frame)}" if start else ""
        raise Refused(
            f"“{said}” is no {end} frame of it; write a number from {shot.first_frame} to {shot.last_frame}{labels}."
        )
    return number


def piece_of_shot(
    shot: Shot, output: str, first: int | None = None, last: int | None = None, *, path: Path | None = None, **how: Any
) -> Piece:
    """Frames of its file, all of the shot unless said otherwise, by its own path for an output or another; ``how`` as
    ``piece_of`` takes it.
    """
    return piece_of(
        shot.disk_path,
        path or path_of(shot, output=output),
        shot.first_frame if first is None else first,
        shot.last_frame if last is None else last,
        shot.reading,
        members=[FilePath(settings.MEDIA_FOLDER) / member for member in shot.members],
        name=shot.original_name,
        sha256=shot.sha256,
        **how,
    )
