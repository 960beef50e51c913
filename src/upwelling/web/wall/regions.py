"""Where what a person marked in a shot lies at another frame: followed over the movie once, and kept with the shot."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from upwelling.core.errors import UpwellingError
from upwelling.core.scopes.spans import Region
from upwelling.core.steps.selections import Ellipse, Rectangle
from upwelling.web.bench.following import FollowWish, found
from upwelling.web.footage.models import Shot

FARTHEST = 600
"""Frames over which a region is followed; beyond that it is not looked for."""


def region_at(shot: Shot, kind: str, frame: int) -> Region | None:
    """The marked region at a frame; None where none is marked, or it cannot be followed there."""
    row = shot.known_regions.get(kind)
    if row is None:
        return None
    marked, at = Region.model_validate(row["region"]), int(row["frame"])
    if frame == at or shot.frames < 2:
        return marked
    kept = row.get("followed", {})
    if str(frame) not in kept:
        kept = {**kept, **_followed(shot, marked, at, frame)}
        _keep(shot, kind, row, kept)
    there = kept.get(str(frame))
    return Region.model_validate(there) if there else None


def _keep(shot: Shot, kind: str, row: dict[str, Any], followed: dict[str, Any]) -> None:
    """Keeps where a region was found, unless somebody marked another meanwhile."""
    with transaction.atomic():
        fresh = Shot.objects.select_for_update().get(pk=shot.pk)
        now = fresh.known_regions.get(kind)
        if now and now["region"] == row["region"] and now["frame"] == row["frame"]:
            fresh.known_regions[kind] = {**now, "followed": {**now.get("followed", {}), **followed}}
            fresh.save(update_fields=["known_regions"])
            shot.known_regions = fresh.known_regions


def _followed(shot: Shot, marked: Region, at: int, frame: int) -> dict[str, Any]:
    """By frame, where the region lies at that frame and at the last one before a loss; None where it is not seen."""
    if abs(frame - at) > FARTHEST:
        return {str(frame): None}
    numbers = list(range(at, frame + 1) if frame > at else range(at, frame - 1, -1))
    shape, aspect = _shape(marked, shot), shot.width / shot.height
    last: dict[str, Any] = {}
    try:
        for one in found(shot, FollowWish(shape, numbers, "size")):
            if "x" in one:
                last = one
    except UpwellingError:
        return {str(frame): None}
    if last.get("frame") != frame:
        return {str(frame): None}
    half = (shape.width * last["scale"] / aspect / 2, shape.height * last["scale"] / 2)
    x, y = last["x"] / aspect + 0.5, last["y"] + 0.5
    low, high = (min(max(v, 0.0), 1.0) for v in (x - half[0], x + half[0]))
    top, bottom = (min(max(v, 0.0), 1.0) for v in (y - half[1], y + half[1]))
    there = Region(kind=marked.kind, left=low, right=high, top=top, bottom=bottom)
    return {str(frame): there.model_dump(mode="json")}


def _shape(marked: Region, shot: Shot) -> Ellipse | Rectangle:
    """A region as a shape, in frame heights from the frame's middle."""
    aspect = shot.width / shot.height
    (left, right), (top, bottom) = sorted((marked.left, marked.right)), sorted((marked.top, marked.bottom))
    kind: type[Ellipse | Rectangle] = Ellipse if marked.kind == "ellipse" else Rectangle
    return kind(
        x=((left + right) / 2 - 0.5) * aspect,
        y=(top + bottom) / 2 - 0.5,
        width=max((right - left) * aspect, 0.002),
        height=max(bottom - top, 0.002),
    )
