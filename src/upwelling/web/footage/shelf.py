"""The shelf of references: what is put there, from this production or another, and what is taken away."""

from __future__ import annotations

from typing import Any

from upwelling.core.documents import sealed
from upwelling.web.common.requests import Refused
from upwelling.web.footage.models import Mark, ShelfReference, Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.productions.models import Production

MOST, MOST_MARKS = 60, 300
"""References on a shelf, and Marks of other productions that are offered for it."""


def put_on_shelf(
    production: Production, user: Any, shot: Shot, frame: int, settings: ShotSettings, name: str = ""
) -> ShelfReference:
    """Puts a frame of a shot there, under settings that stay as they are now; raises Refused."""
    if production.references.count() >= MOST:
        raise Refused(f"The shelf holds {MOST} references already. Take one away first.")
    if not shot.settled.is_settled:
        raise Refused(f"The encoding of {shot.name} is not settled: its codes stand for no light. Settle it first.")
    path_of(shot, settings)
    name = " ".join(name.split()) or (f"{shot.name}, {frame}" if shot.frames > 1 else shot.name)[:60]
    if len(name) > 60:
        raise Refused(f"A reference’s name has at most 60 characters; this one has {len(name)}.")
    if production.references.filter(name=name).exists():
        raise Refused(f"There is a reference “{name}” on the shelf already. Choose another name.")
    return ShelfReference.objects.create(
        production=production,
        shot=shot,
        name=name,
        frame=min(max(frame, shot.first_frame), shot.last_frame),
        settings=sealed("shot settings", settings.model_dump(mode="json")),
        created_by=user,
    )


def offered_marks(production: Production, user: Any) -> list[Mark]:
    """The newest Marks of other productions that the person is a member of."""
    others = Production.objects.visible_to(user).exclude(pk=production.pk)
    found = Mark.objects.filter(shot__production__in=others).select_related("shot__production")
    return list(found.order_by("shot__production__name", "shot__name", "name")[:MOST_MARKS])


def shelve_mark(production: Production, user: Any, number: int) -> ShelfReference:
    """Puts another production's Mark there, for all members of this one to see; raises Refused where the person may
    not look at it.
    """
    mark = next((mark for mark in offered_marks(production, user) if mark.pk == number), None)
    if mark is None:
        raise Refused("That Mark is in no other production of yours. Choose one of the list.")
    name = f"{mark.shot.production.name}: {mark.name}"[:60]
    return put_on_shelf(production, user, mark.shot, mark.shot.frame, mark.shot_settings, name)


def take_from_shelf(production: Production, number: int) -> None:
    """Takes one away; one that is gone already is no matter. Matches made to it stay as they are."""
    production.references.filter(pk=number).delete()
