"""What a sheet says of the frames of the wall."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from upwelling.core.errors import UpwellingError
from upwelling.web.common.requests import Refused
from upwelling.web.productions.remarks import in_state
from upwelling.web.wall.answers import told_of
from upwelling.web.wall.making import Wall
from upwelling.web.wall.relations import known
from upwelling.web.wall.showing import Place

if TYPE_CHECKING:
    from upwelling.web.wall.sheet import Card

MOST_CARDS, MOST_MADE = 240, 80
"""Frames of one sheet, and tiles that are made while somebody waits for it."""
MOST_REMARKS = 2
"""Open remarks on one shot of a sheet, the newest."""


def sheet_of(wall: Wall, rows: Sequence[Place], region: str, title: str, *, as_png: bool) -> bytes:
    """The sheet's file. Raises Refused where there is nothing, or too much, to put on it."""
    from upwelling.web.wall.sheet import pages_of, pdf, png

    if not wall.rows:
        raise Refused("There is no shot to put on a sheet.")
    if len(rows) > MOST_CARDS:
        raise Refused(f"A sheet holds at most {MOST_CARDS} frames; these are {len(rows)}. Find fewer, or a group.")
    missing = [tile for tile in wall.tiles if tile.figures is None]
    if len(missing) > MOST_MADE:
        raise Refused(f"{len(missing)} pictures are not made yet. Open the wall on them first, and come back.")
    for tile in missing:
        try:
            tile.make(tile.regions())
        except UpwellingError as error:
            wall.problems[Place(tile.shot.pk, tile.frame)] = str(error)
    pages = pages_of(title, _cards(wall, rows, region))
    return png(pages) if as_png else pdf(pages, title)


def _cards(wall: Wall, rows: Sequence[Place], region: str) -> list[Card]:
    from upwelling.web.wall.sheet import Card

    events = {(one.shot, one.frame): one.event for one in rows}
    remarks = _open_remarks(wall)
    cards = []
    for (place, shot, tiles), said in zip(
        wall.rows, told_of(wall, region, known(wall.production, wall.pairs)), strict=True
    ):
        event = events.get((place.shot, place.frame), 0)
        pictures = [
            (column.title, None if tile is None or tile.figures is None else tile.place("picture.jpg"))
            for tile, column in zip(tiles, wall.show.columns, strict=True)
        ]
        first = tiles[0]
        scope = first.place("parade.jpg") if first is not None and first.figures is not None else None
        reasons = [f"{'▲' if one['sure'] else '△'} {one['said']}" for one in said["reasons"]]
        delta = (said["neighbour"] or {}).get("delta_e")
        figures = " · ".join(filter(None, (said["figures"], f"ΔE {delta:.1f} to the one before" if delta else "")))
        problem = wall.problems.get(place, "")
        said_of_it = remarks.get(shot.pk, [])[:MOST_REMARKS]
        lines = [line for line in (figures, *reasons, f"▲ {problem}" if problem else "", *said_of_it) if line]
        cards.append(Card(f"{event} · {shot.name}" if event else shot.name, pictures, scope, lines or [""]))
    return cards


def _open_remarks(wall: Wall) -> dict[int, list[str]]:
    """What is open of each shot, in a line each, with the frame it was said of."""
    held = wall.production.remarks.filter(kind="shot", number__in={shot.pk for _, shot, _ in wall.rows})
    found: dict[int, list[str]] = {}
    for one in in_state(held, "open").select_related("created_by"):
        at = "" if one.frame is None else f" at {one.frame}"
        found.setdefault(one.number, []).append(f"? {one.said_by}{at}: {' '.join(one.text.split())}")
    return found
