"""What is said of Kilnlight, and to whom it was shown."""

from __future__ import annotations

import datetime
from typing import Any

from django.contrib.auth.models import User
from django.utils import timezone

from upwelling.core.documents import sealed
from upwelling.web.footage.paths import path_of
from upwelling.web.productions.models import Production
from upwelling.web.productions.remarks import Remark, reply, settle, write_remark
from upwelling.web.showings.guests import take_remark
from upwelling.web.showings.services import Terms, make_showing, of_cut

FRAME_REMARKS: tuple[tuple[str, str, str, dict[str, Any] | None, tuple[str, ...]], ...] = (
    (
        "A016",
        "The furnace door burns out. Can the rim keep its colour?",
        "viewer",
        {"kind": "rectangle", "left": 0.87, "top": 0.12, "right": 1.0, "bottom": 0.64},
        (),
    ),
    (
        "A012",
        "Wall too green beside the take before?",
        "viewer",
        {"kind": "ellipse", "left": 0.3, "top": 0.1, "right": 0.6, "bottom": 0.4},
        ("answered",),
    ),
    ("A031", "Mid grey of the bench: a third of a stop up.", "technician", None, ("answered", "tick")),
)
"""Shot, words, by whom, where in its frame, and what came of it."""
GUEST_REMARKS: tuple[tuple[int, str, tuple[tuple[float, float], ...], tuple[str, ...]], ...] = (
    (
        1,
        "The glass at the end of the pipe is nearly white. Could it stay orange?",
        ((0.83, 0.37), (0.88, 0.36), (0.92, 0.42), (0.91, 0.5), (0.86, 0.53), (0.81, 0.48)),
        (),
    ),
    (
        4,
        "The face goes grey as it turns to the window.",
        ((0.44, 0.3), (0.5, 0.25), (0.57, 0.3), (0.58, 0.5), (0.51, 0.58), (0.43, 0.5)),
        ("answered",),
    ),
    (
        8,
        "Are the bars meant to be there?",
        ((0.02, 0.0), (0.98, 0.0), (0.98, 0.13), (0.02, 0.13)),
        ("answered", "tick"),
    ),
)
"""Event of the cut, words, an outline in its frame, and what came of it."""


def say_things(production: Production, technician: User, viewer: User) -> None:
    """What whoever works on it next should know."""
    camera = production.cameras.get(name="A-cam")
    write_remark(
        production,
        technician,
        ("camera", camera.pk, camera.name),
        "Rented from Monday; the body of the first day was another one.",
        question=False,
    )
    shot = production.shots.filter(name__startswith="A033").first()
    if shot is not None:
        said = "Was the viewing transform burned in on the set, or by the laboratory?"
        write_remark(production, technician, ("shot", shot.pk, shot.name), said, question=True)
    _of_frames(production, technician, viewer)


def _of_frames(production: Production, technician: User, viewer: User) -> None:
    """What was said of frames: one open, one answered, one ticked off."""
    for begins, text, by, place, settled in FRAME_REMARKS:
        shot = production.shots.filter(name__startswith=begins).first()
        if shot is None:
            continue
        user = viewer if by == "viewer" else technician
        frame = shot.frame
        one = write_remark(
            production,
            user,
            ("shot", shot.pk, f"{shot.name}, {shot.frame_said(frame)}"),
            text,
            question=True,
            frame=frame,
            place=place,
            seen=path_of(shot).at(frame).fingerprint[:12],
            settings_then=sealed("shot settings", shot.settings.model_dump(mode="json")),
        )
        for what in settled:
            settle(one, user if what == "tick" else technician, what, changes=True)


def show_the_cut(production: Production, technician: User) -> None:
    """One showing of the cut to the producers, in which one of them asked three things."""
    cut = production.cuts.first()
    if cut is None:
        return
    cut.production = production
    terms = Terms(
        name="Cut 3 for the producers",
        note="Is the gathering room warm enough? The yard is not begun yet.",
        output=production.rule_set.output,
        ends=timezone.now() + datetime.timedelta(days=180),
        before=True,
    )
    showing = make_showing(production, technician, terms, of_cut(cut)[0], cut)
    visitor = showing.visitors.create(name="Ilse Brandt")
    for event, text, outline, settled in GUEST_REMARKS:
        item = showing.items.filter(event=event).first()
        if item is None:
            continue
        place: Any = {"kind": "outline", "points": [list(point) for point in outline]}
        take_remark(showing, visitor, {"what": "write", "item": item.pk, "state": 0, "text": text, "place": place})
        remark = Remark.objects.filter(of_guest__visitor=visitor).latest("pk")
        if "answered" in settled:
            reply(
                remark, technician, "They are part of the file; we take them off." if event == 8 else "Warmed a little."
            )
            settle(remark, technician, "answered", changes=True)
        if "tick" in settled:
            settle(remark, None, "tick", changes=False)
