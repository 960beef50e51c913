"""Showings made, ended sooner or later, and what became of them."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.contrib.auth.hashers import make_password
from django.db import transaction
from django.utils import timezone
from pydantic import ValidationError

from upwelling.core.delivery.shown import shows_numbers, still_order
from upwelling.core.documents import sealed
from upwelling.core.errors import UpwellingError
from upwelling.core.parameters import refusal
from upwelling.core.path import Path
from upwelling.web.common.requests import Refused
from upwelling.web.cuts.models import Cut, CutEvent
from upwelling.web.cuts.services import FOUND
from upwelling.web.deliveries.pieces import piece_of_shot
from upwelling.web.footage.listing import loaded
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.setting_differences import differences
from upwelling.web.footage.shot_settings import ShotSettings, stored_settings
from upwelling.web.jobs.work import queue, waiting_job
from upwelling.web.productions.models import Production
from upwelling.web.productions.remarks import Remark
from upwelling.web.showings.making import KIND
from upwelling.web.showings.models import Showing, ShownItem, ShownState
from upwelling.web.showings.movies import order_movies

MOST_ITEMS, MOST_STATES = 200, 6
LONGEST = datetime.timedelta(days=366)
NOW, BEFORE = "Now", "As it came"
NUMBERS = "It is not settled what its numbers mean, so they are shown as they are: no colours to judge."
ELSEWHERE = "what it shares with other shots, or the production’s rules"


@dataclass(frozen=True)
class Asked:
    """One frame to be shown, in which states beside the present one; of an event of a cut where it has one."""

    shot: Shot
    frame: int
    marks: tuple[int, ...] = ()
    event: CutEvent | None = None


@dataclass(frozen=True)
class Terms:
    """What a showing is called and how it may be used."""

    name: str
    note: str
    output: str
    ends: datetime.datetime
    phrase: str = ""
    remarks: bool = True
    downloads: bool = False
    before: bool = False
    movie: bool = True
    after: Showing | None = None


def of_cut(cut: Cut) -> tuple[list[Asked], list[str]]:
    """The middle frame of each event that is found, and sentences about the others."""
    events = list(cut.events.all())
    shots = {shot.pk: shot for shot in loaded(cut.production, [one.shot_id for one in events if one.shot_id])}
    asked, left = [], []
    for one in events:
        shot = shots.get(one.shot_id or 0)
        if one.state != FOUND or shot is None or one.first is None:
            if not one.event.black:
                left.append(f"Event {one.number} is left out: it is not settled which shot it is of.")
            continue
        frame = min(one.first + one.frames // 2, shot.last_frame)
        asked.append(Asked(shot, max(frame, shot.first_frame), event=one))
    return asked, left


def make_showing(
    production: Production,
    user: Any,
    terms: Terms,
    asked: Sequence[Asked],
    cut: Cut | None = None,
    left: Sequence[str] = (),
) -> Showing:
    """Keeps a showing and queues its stills and movies; ``left`` are sentences about what is left out already. Raises
    Refused where nothing of it can be shown.
    """
    _check(production, terms, asked)
    left = list(left)
    sdr = ""
    if production.output_named(terms.output).is_hdr:
        sdr = next((name for name in production.rule_set.outputs if not production.output_named(name).is_hdr), "")
        if not sdr:
            raise Refused(
                f"{terms.output} is HDR, and many screens are not. Add an SDR output on the Outputs page to stand in."
            )
    with transaction.atomic():
        showing = Showing.objects.create(
            production=production,
            created_by=user,
            name=terms.name,
            note=terms.note,
            output=terms.output,
            sdr_output=sdr,
            cut=cut,
            after=terms.after,
            ends=terms.ends,
            phrase=make_password(terms.phrase) if terms.phrase else "",
            remarks_allowed=terms.remarks,
            downloads_allowed=terms.downloads,
            job=waiting_job(KIND, production, user),
        )
        began = _beginnings(cut)
        for one in asked:
            try:
                _keep(showing, one, terms, began)
            except (UpwellingError, ValidationError) as error:
                said = str(error) if isinstance(error, UpwellingError) else refusal(error)
                left.append(f"{one.shot.name} is left out: {said}")
        if not showing.items.exists():
            raise Refused("Nothing of it can be shown. " + " ".join(left))
        showing.left_out = left
        if terms.movie:
            order_movies(showing, user)
        showing.save()
        queue(KIND, showing, showing.job)
    return showing


def _check(production: Production, terms: Terms, asked: Sequence[Asked]) -> None:
    if not terms.name:
        raise Refused("A showing needs a name; those who open it read it.")
    if terms.output not in production.rule_set.outputs:
        raise Refused(f"{terms.output} is no output of this production. Add it on the Outputs page.")
    _check_end(terms.ends)
    if not asked:
        raise Refused("Choose shots with frames, or a cut with events that are found.")
    if len(asked) > MOST_ITEMS:
        raise Refused(f"A showing has at most {MOST_ITEMS} frames; these are {len(asked)}. Make two.")
    if terms.phrase and len(terms.phrase) < 6:
        raise Refused("A pass phrase has at least 6 characters; leave it empty to ask for none.")


def _check_end(ends: datetime.datetime) -> None:
    if not timezone.now() < ends <= timezone.now() + LONGEST:
        raise Refused("A showing ends on a day to come, within a year.")


def _beginnings(cut: Cut | None) -> dict[int, int]:
    """The frame of the cut's movie at which each event begins: what is not found is black there."""
    at, found = 0, {}
    for one in cut.events.all() if cut is not None else ():
        found[one.pk] = at
        whole = one.state == FOUND and one.first is not None and one.speed == 1 and not one.event.black
        at += one.frames if whole else one.record_frames
    return found


def _keep(showing: Showing, asked: Asked, terms: Terms, began: Mapping[int, int]) -> None:
    shot, event = asked.shot, asked.event
    settings = shot.settings
    marks = shot.marks.filter(pk__in=asked.marks)[: MOST_STATES - 2]
    states = [(NOW, settings), *((mark.name, mark.shot_settings) for mark in marks)]
    made = [_state(shot, asked.frame, name, held, showing) for name, held in states]
    if terms.before:
        bare = _state(shot, asked.frame, BEFORE, settings, showing, bare=True)
        made += [bare] if bare.seen != made[0].seen else []
    item = ShownItem.objects.create(
        showing=showing,
        position=showing.items.count(),
        name=f"{event.number} · {shot.name}" if event else shot.name,
        shot=shot,
        event=event.number if event else None,
        frame=asked.frame,
        frame_said=shot.frame_said(asked.frame),
        begin=began[event.pk] if event else 0,
        frames=(event.frames if event.speed == 1 else event.record_frames) if event else shot.frames,
        first=(event.first or 0) if event else shot.first_frame,
        speed=event.speed if event else 1.0,
        note=NUMBERS if shows_numbers(path_of(shot, settings, showing.output)) else "",
    )
    for position, row in enumerate(made):
        row.item, row.position = item, position
    ShownState.objects.bulk_create(made)
    _against_earlier(item, made[0], terms.after)


def _state(
    shot: Shot, frame: int, name: str, settings: ShotSettings, showing: Showing, *, bare: bool = False
) -> ShownState:
    """A frame under settings; ``bare``: with none of its layers."""

    def path(output: str) -> Path:
        found = path_of(shot, settings, output)
        return (
            found.model_copy(update={"layers": tuple(l.model_copy(update={"on": False}) for l in found.layers)})
            if bare
            else found
        )

    def order(path: Path, output: str) -> str:
        return still_order(piece_of_shot(shot, output, frame, frame, path=path), shot.name).to_json()

    main = path(showing.output)
    return ShownState(
        name=name,
        seen=main.at(frame).fingerprint,
        settings=sealed("shot settings", settings.model_dump(mode="json")),
        order_json=order(main, showing.output),
        sdr_json=order(path(showing.sdr_output), showing.sdr_output) if showing.sdr_output else "",
    )


def _against_earlier(item: ShownItem, now: ShownState, after: Showing | None) -> None:
    """Says at an item what the showing before had of the same shot, and what was changed since."""
    if after is None or item.shot is None:
        return
    same = after.items.filter(shot=item.shot, event__isnull=item.event is None)
    before = same.filter(event=item.event).first() if item.event else same.filter(frame=item.frame).first()
    before = before or same.first()
    earlier = before.states.first() if before else None
    if earlier is None:
        item.changes = ["It was not shown before."]
    elif earlier.seen == now.seen:
        item.earlier, item.changes = earlier, []
    else:
        item.earlier, item.changes = earlier, _changes(earlier, now)
    item.save()


def _changes(earlier: ShownState, now: ShownState) -> list[str]:
    try:
        rows = differences(stored_settings(earlier.settings), stored_settings(now.settings))
    except UpwellingError:
        return ["what the settings were then can no longer be read"]
    return rows or ([ELSEWHERE] if earlier.item.frame == now.item.frame else ["another frame of it"])


def withdraw(showing: Showing) -> None:
    """Ends it now; nobody comes in any more."""
    showing.withdrawn = timezone.now()
    showing.save(update_fields=["withdrawn"])
    _tell_remarks(showing, showing.withdrawn)


def give_until(showing: Showing, ends: datetime.datetime) -> None:
    """Another end, also of one that was over or withdrawn; raises Refused."""
    _check_end(ends)
    showing.ends, showing.withdrawn = ends, None
    showing.save(update_fields=["ends", "withdrawn"])
    _tell_remarks(showing, ends)


def _tell_remarks(showing: Showing, until: datetime.datetime) -> None:
    Remark.objects.filter(of_guest__item__showing=showing).update(guest_until=until)


def chain(showing: Showing) -> list[Showing]:
    """It and those it follows, the newest first."""
    found: list[Showing] = []
    one: Showing | None = showing
    while one is not None and one not in found:
        found.append(one)
        one = one.after
    return found
