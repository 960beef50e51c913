"""Cuts brought in, their events found among the production's shots, settled by hand, their corrections taken over."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from pathlib import Path as FilePath
from typing import Any

from django.db import transaction

from upwelling.core.count_of import count_of
from upwelling.core.cut import Cut as ReadCut
from upwelling.core.cut import FoundEvent, Media, match_cut, read_cut
from upwelling.core.media.timecode import Timecode
from upwelling.core.packages.cdl_part import step_of
from upwelling.web.common.requests import Refused
from upwelling.web.cuts.models import SHOT_REMOVED, Cut, CutEvent
from upwelling.web.footage.history import next_state
from upwelling.web.footage.models import SharedChange, Shot
from upwelling.web.productions.models import Production

MOST_CUTS = 200
FOUND = "found"
TAKEN = "ASC CDL of the cut"
"""What a change is called that took corrections over."""


def media_of(shots: Iterable[Shot]) -> list[Media]:
    """The production's shots as what events may be of; a range of a file begins and ends where the range does."""
    found = []
    for shot in shots:
        begins = Timecode.read(shot.timecode(shot.first_frame), shot.runs_at)
        found.append(
            Media(
                path=FilePath(shot.original_name),
                name=shot.original_name,
                reel=shot.reel,
                begins=begins.count if begins else (shot.first_frame or None),
                frames=shot.frames,
                rate=shot.runs_at,
                known_as=(shot.name,),
                key=shot.pk,
            )
        )
    return found


@transaction.atomic
def bring_in_cut(production: Production, user: Any, name: str, place: FilePath, rate: float = 0.0) -> Cut:
    """Reads a list and finds its events; raises BadCut or Refused, and keeps nothing then."""
    if production.cuts.count() >= MOST_CUTS:
        raise Refused(f"There are {MOST_CUTS} cuts already. Remove some first.")
    digest = hashlib.sha256(place.read_bytes()).hexdigest()
    twin = production.cuts.filter(sha256=digest).first()
    if twin:
        raise Refused(f"{name} is already here as “{twin.name}”: the content is the same.")
    read = read_cut(place, rate, name)
    row = Cut.objects.create(
        production=production,
        name=(" ".join(read.title.split()) or FilePath(name).stem)[:120],
        file_name=name[-200:],
        sha256=digest,
        rate=read.rate,
        drop=read.drop,
        notes=list(read.notes),
        created_by=user,
    )
    _put(row, read, match_cut(read, media_of(production.shots.all())))
    return row


def _put(row: Cut, read: ReadCut, found: list[FoundEvent]) -> None:
    firsts = dict(row.production.shots.values_list("pk", "first_frame"))
    CutEvent.objects.bulk_create(
        CutEvent(cut=row, **vars(event) | {"cdl": _cdl(event.cdl), "notes": list(event.notes)}, **_where(one, firsts))
        for event, one in zip(read.events, found, strict=True)
    )


def _cdl(node: Any) -> dict[str, Any] | None:
    if node is None:
        return None
    return {"slope": node.slope, "offset": node.offset, "power": node.power, "saturation": node.saturation}


def _where(one: FoundEvent, firsts: dict[int, int]) -> dict[str, Any]:
    """What is stored of a match: the shot, and the frame of its file."""
    where: dict[str, Any] = {"state": one.state, "why": one.why[:400], "shot_id": None, "first": None}
    if one.state == FOUND and one.first is not None:
        key = one.media[0].key
        where |= {"shot_id": key, "first": firsts[key] + one.first}
    return where


@transaction.atomic
def match_again(cut: Cut) -> int:
    """Looks for every event anew that no person settled; gives how many changed."""
    rows = list(cut.events.filter(by_hand=False))
    read = ReadCut(cut.name, cut.rate, cut.drop, tuple(row.event for row in rows))
    firsts = dict(cut.production.shots.values_list("pk", "first_frame"))
    changed = 0
    for row, one in zip(rows, match_cut(read, media_of(cut.production.shots.all())), strict=True):
        where = _where(one, firsts)
        if row.why == SHOT_REMOVED and where["state"] != FOUND:
            continue  # which shot it was of is kept while that can be had back
        if any(getattr(row, name) != value for name, value in where.items()):
            for name, value in where.items():
                setattr(row, name, value)
            row.save(update_fields=["state", "why", "shot", "first"])
            changed += 1
    return changed


def settle_event(event: CutEvent, shot: Shot | None, first: int | None) -> CutEvent:
    """Says by hand which shot an event is of and from which frame of its file; None gives it back to the search."""
    if event.event.black and shot is not None:
        raise Refused(f"Event {event.number} is black in the list; it is of no shot.")
    if shot is None:
        event.by_hand = False
        event.save(update_fields=["by_hand"])
        match_again(event.cut)
        event.refresh_from_db()
        return event
    at = shot.first_frame if first is None else first
    last = at + max(event.frames, 1) - 1
    if not shot.first_frame <= at <= last <= shot.last_frame:
        raise Refused(
            f"Event {event.number} needs {count_of(event.frames, 'frame')} of its source; from {at} on {shot.name} has "
            f"{max(shot.last_frame - at + 1, 0)} (its frames are {shot.first_frame} to {shot.last_frame})."
        )
    event.state, event.why, event.shot, event.first, event.by_hand = FOUND, "by hand", shot, at, True
    event.save(update_fields=["state", "why", "shot", "first", "by_hand"])
    return event


@transaction.atomic
def take_corrections(cut: Cut, user: Any) -> tuple[SharedChange, list[str]]:
    """Puts the list's ASC CDLs into the trims of the shots they are on, as one change that is taken back at once; and
    sentences about those that could not be. Raises Refused where there is none.
    """
    by_shot: dict[int, list[CutEvent]] = {}
    for event in cut.events.filter(cdl__isnull=False, state=FOUND, shot__isnull=False):
        by_shot.setdefault(event.shot_id or 0, []).append(event)
    if not by_shot:
        raise Refused("No event that was found carries an ASC CDL.")
    change = SharedChange.objects.create(production=cut.production, source=cut.name[:120], steps=TAKEN, created_by=user)
    left = []
    for shot in Shot.objects.select_for_update().filter(pk__in=by_shot, production=cut.production):
        shot.production = cut.production
        events = by_shot[shot.pk]
        if any(event.cdl != events[0].cdl for event in events):
            left.append(f"{shot.name}: its events {_numbers(events)} carry different corrections; split it first.")
            continue
        node = events[0].correction
        if node is None:
            continue
        try:
            step = step_of(node, "From the cut")
        except ValueError:
            left.append(f"{shot.name}: the numbers of event {events[0].number} are beyond what a step may hold.")
            continue
        next_state(shot, user, shot.settings.with_steps((step,)), f"ASC CDL from {cut.name}", change)
    if not change.states.exists():
        raise Refused(" ".join(left))
    return change, left


def _numbers(events: list[CutEvent]) -> str:
    return ", ".join(str(event.number) for event in events)
