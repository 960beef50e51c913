"""A cut's events as orders: a file each with handles, or all as one picture, at their speeds, with what is missing."""

from __future__ import annotations

import itertools
import json
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path as FilePath
from typing import TYPE_CHECKING, Any

import numpy as np
from django.conf import settings

from upwelling.core.count_of import count_of
from upwelling.core.delivery.order import MOST_PIECES, Piece
from upwelling.core.errors import UpwellingError
from upwelling.core.media import write_still
from upwelling.core.media.rates import exact_rate, rate_text
from upwelling.core.path import CameraFile, Input, Path
from upwelling.web.common.requests import Refused, whole_or
from upwelling.web.cuts.models import Cut, CutEvent
from upwelling.web.cuts.services import FOUND
from upwelling.web.footage.listing import loaded
from upwelling.web.footage.models import Shot
from upwelling.web.productions.models import Production

if TYPE_CHECKING:
    from upwelling.web.deliveries.plan import Plan

MOST = 500
"""Files of one order."""
MOST_HANDLES = 240


def add_cut(plan: Plan, production: Production, cut: Cut, given: Mapping[str, Any], add: Callable[..., None]) -> None:
    """Puts the cut's files into the plan by ``add``; what cannot be made is said in it. Raises Refused.

    ``given``: “as” is one or each; “retimed” is source (the frames of the file that the event shows) or played (as the
    cut plays them); “missing” is refuse, black or leave, for one picture.
    """
    handles = whole_or(given.get("handles"))
    if handles > MOST_HANDLES:
        raise Refused(f"Handles are at most {MOST_HANDLES} frames.")
    events = list(cut.events.all())
    if len(events) > MOST:
        raise Refused(f"At most {MOST} files are ordered at once; this cut has {len(events)} events.")
    shots = {shot.pk: shot for shot in loaded(production, [one.shot_id for one in events if one.shot_id])}
    if given.get("as") == "one":
        _one_picture(plan, production, cut, given, add, events, shots)
        return
    for event in events:
        title = _title(event)
        shot = shots.get(event.shot_id or 0)
        if event.event.black:
            plan.remarks.append(f"{title} is black, and is given no file.")
            continue
        if event.state != FOUND or shot is None or event.first is None:
            plan.refused.append(f"{title}: it is not settled which shot it is of. Settle it on the cut's page.")
            continue
        _say_transition(plan, event, title)
        try:
            pieces, low = _each(plan, event, shot, title, handles, played=given.get("retimed") == "played")
        except UpwellingError as error:
            plan.refused.append(f"{title}: {error}")
            continue
        begins = event.event.label(event.start - (event.first - low)) if event.start >= event.first - low else ""
        said: dict[str, Any] = shot.timing_by_hand(low) if shot.timecode(low) else {"timecode": begins}
        if event.reel and event.reel.lower() != "ax":
            said["reel"] = event.reel
        if len(pieces) > 1:
            said["silent"] = True
        add(plan, production, title, given, pieces, shot=shot, cut=cut, event=event, **said)


def _title(event: CutEvent) -> str:
    return f"Event {event.number}{f', {event.name}' if event.name else ''}"


def _say_transition(plan: Plan, event: CutEvent, title: str) -> None:
    if event.transition:
        plan.remarks.append(f"{title} begins with a {event.transition}; it is delivered as a plain cut.")


def _each(
    plan: Plan, event: CutEvent, shot: Shot, title: str, handles: int, *, played: bool
) -> tuple[list[Piece], int]:
    """What one event's file is of, and the first frame of its source."""
    first = event.first or 0
    if event.speed != 1 and played:
        plan.remarks.append(
            f"{title} is delivered as it plays, at {event.speed * 100:.0f} % speed: frames of its source repeated or "
            "left out, without handles and without sound."
        )
        return _played(plan, event, shot), first
    if event.speed != 1:
        plan.remarks.append(
            f"{title} plays at {event.speed * 100:.0f} % speed; it is delivered as the "
            f"{count_of(event.frames, 'frame')} of its source that it shows."
        )
    wanted = first - handles, first + event.frames - 1 + handles
    low, high = max(wanted[0], 0), min(wanted[1], shot.footage.facts.frames - 1)
    if (low, high) != wanted:
        short = low - wanted[0] + wanted[1] - high
        plan.remarks.append(f"{title}: its handles end with the file, {count_of(short, 'frame')} early.")
    return [plan.piece(shot, low, high)], low


def frames_played(first: int, record_frames: int, shown: int, speed: float) -> list[int]:
    """The frame of the file for each frame of the cut: the one that stands at its beginning; played backwards, from the
    last that is shown.
    """
    begin = first + shown - 1 if speed < 0 else first
    return [min(max(begin + int(np.floor(n * speed + 1e-9)), first), first + shown - 1) for n in range(record_frames)]


def _played(plan: Plan, event: CutEvent, shot: Shot) -> list[Piece]:
    """Pieces of one run of rising frames each, so that they come out as the cut plays them."""
    frames = frames_played(event.first or 0, event.record_frames, event.frames, event.speed)
    whole = plan.piece(shot, min(frames), max(frames))
    runs: list[list[int]] = []
    for frame in frames:
        if runs and frame == runs[-1][1] + 1:
            runs[-1][1] = frame
        else:
            runs.append([frame, frame])
    return [whole.model_copy(update={"first": first, "last": last}) for first, last in runs]


def _one_picture(
    plan: Plan,
    production: Production,
    cut: Cut,
    given: Mapping[str, Any],
    add: Callable[..., None],
    events: Sequence[CutEvent],
    shots: Mapping[int, Shot],
) -> None:
    """All events after each other; one that is missing is black or left out where that is asked for."""
    missing = str(given.get("missing", "refuse"))
    pieces: list[Piece | int] = []
    retimed = False
    for event in events:
        title = _title(event)
        shot = shots.get(event.shot_id or 0)
        if event.event.black:
            pieces.append(event.record_frames)
            continue
        if event.state != FOUND or shot is None or event.first is None:
            if missing == "black":
                pieces.append(event.record_frames)
                plan.remarks.append(
                    f"{title} is not found; {count_of(event.record_frames, 'frame')} of black stand for it."
                )
            elif missing == "leave":
                plan.remarks.append(f"{title} is not found, and left out: what follows begins earlier than in the cut.")
            else:
                plan.refused.append(f"{title}: it is not settled which shot it is of. Settle it on the cut's page.")
            continue
        _say_transition(plan, event, title)
        try:
            if event.speed == 1:
                pieces.append(plan.piece(shot, event.first, event.first + event.frames - 1))
            else:
                retimed = True
                pieces += _played(plan, event, shot)
                plan.remarks.append(f"{title} plays at {event.speed * 100:.0f} % speed.")
        except UpwellingError as error:
            plan.refused.append(f"{title}: {error}")
    if plan.refused:
        raise Refused(
            "The cut cannot be one picture: " + " ".join(plan.refused) + " Or let black stand for what is missing, or "
            "leave it out."
        )
    first = next((piece for piece in pieces if isinstance(piece, Piece)), None)
    if first is None:
        raise Refused("The cut has no events that are found.")
    whole = [one for piece in pieces for one in ([piece] if isinstance(piece, Piece) else _black(first, piece))]
    if len(whole) > MOST_PIECES:
        raise Refused(f"Speeds and black make more than {MOST_PIECES} pieces of this cut. Deliver it as a file each.")
    silent = retimed or any(isinstance(piece, int) for piece in pieces)
    if silent and given.get("sound") != "off":
        plan.remarks.append("Sound is left out: speeds and black have none that fits.")
    _say_gaps(plan, events)
    label = events[0].event.label(events[0].record)
    rate = rate_text(exact_rate(cut.rate))
    add(plan, production, cut.name, given, whole, cut=cut, timecode=label, reel="", rate=rate, silent=silent)


def _black(like: Piece, frames: int) -> list[Piece]:
    """Black as long as that, in the size of another piece and for the same display."""
    width, height, aspect = like.framing_facts
    place = FilePath(settings.FILES) / "black" / f"{width}x{round(height * aspect.denominator / aspect.numerator)}.exr"
    if not place.exists():
        place.parent.mkdir(parents=True, exist_ok=True)
        write_still(place, np.zeros((height, width, 3), dtype=np.float32), "half", {})
    path = like.path
    black = Path(
        working=path.working,
        camera=CameraFile(),
        input=Input(encoding=f"linear/{path.working}"),
        rendering=path.rendering,
        display=path.display,
    )
    one = Piece(name="black", file=str(place), first=0, last=0, recipe=json.loads(black.to_recipe()))
    return [one] * frames


def _say_gaps(plan: Plan, events: Sequence[CutEvent]) -> None:
    for before, after in itertools.pairwise(events):
        gap = after.record - before.record - before.record_frames
        if gap:
            plan.remarks.append(
                f"Between events {before.number} and {after.number} the list has "
                + (f"{gap} empty frames, which are left out." if gap > 0 else f"{-gap} frames twice; both are written.")
            )
