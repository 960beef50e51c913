"""What a page of the wall waits for, made aside: its tiles first, then how they are apart."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import cached_property
from typing import Any

from django.db import transaction
from pydantic import ValidationError

from upwelling.core.errors import UpwellingError
from upwelling.core.parameters import refusal
from upwelling.web.footage.listing import loaded
from upwelling.web.jobs.models import Task
from upwelling.web.jobs.work import queue, work
from upwelling.web.productions.models import Production
from upwelling.web.wall.models import Wanted
from upwelling.web.wall.relations import Relations, known, pairs_of, relation_key
from upwelling.web.wall.showing import Column, Paths, Place, Show, read_places, show_of
from upwelling.web.wall.tiles import Tile

SECONDS = 6 * 3600.0
KIND = "wall"
AT_ONCE = 4
"""Tiles that are made at once, at most."""


class Wall:
    """Frames with what is shown of each: their tiles, column by column, where there is one. Of ``joins`` they come in
    pairs, which are compared alone; else each is compared with those before it, and with the chosen one.
    """

    def __init__(
        self,
        production: Production,
        show: Show,
        places: Sequence[Place],
        chosen: Place | None = None,
        *,
        joins: bool = False,
    ) -> None:
        self.production, self.show, self.joins = production, show, joins
        numbers = {place.shot for place in (*places, chosen) if place is not None}
        shots = {shot.pk: shot for shot in loaded(production, numbers)}
        self.paths = Paths(production, show, list(shots.values()))
        self.problems: dict[Place, str] = {}
        self.rows: list[tuple[Place, Any, list[Tile | None]]] = [
            (place, shots[place.shot], self._tiles(shots[place.shot], place)) for place in places if place.shot in shots
        ]
        self.chosen: Tile | None = None
        if chosen is not None and chosen.shot in shots:
            self.chosen = self._tile(shots[chosen.shot], chosen, self.show.columns[0])

    def _tiles(self, shot: Any, place: Place) -> list[Tile | None]:
        return [self._tile(shot, place, column) for column in self.show.columns]

    def _tile(self, shot: Any, place: Place, column: Column) -> Tile | None:
        frame = min(max(place.frame, shot.first_frame), shot.last_frame)
        try:
            path = self.paths.of(shot, frame, column)
        except (UpwellingError, ValidationError) as error:
            self.problems[place] = str(error) if isinstance(error, UpwellingError) else refusal(error)
            return None
        return None if path is None else Tile(shot, frame, path)

    @property
    def tiles(self) -> list[Tile]:
        """All that there are, row by row."""
        return [tile for _, _, tiles in self.rows for tile in tiles if tile is not None]

    @property
    def firsts(self) -> list[Tile]:
        """The first column's, which are compared with each other."""
        return [tiles[0] for _, _, tiles in self.rows if tiles[0] is not None]

    @cached_property
    def pairs(self) -> dict[str, tuple[Tile, Tile]]:
        """What is compared, by key: frames as the first column shows them."""
        if self.joins:
            tiles = [tiles[0] for _, _, tiles in self.rows]
            both = [(a, b) for a, b in zip(tiles[::2], tiles[1::2], strict=False) if a is not None and b is not None]
            return {relation_key(*pair): pair for pair in both}
        return pairs_of(self.firsts, self.chosen)


def want(production: Production, user: Any, asked: dict[str, Any]) -> Wanted:
    """Lets the worker make what a page waits for; what it asked for before is forgotten."""
    with transaction.atomic():
        row, _ = Wanted.objects.select_for_update().get_or_create(production=production, user=user)
        waits = Task.objects.filter(kind=KIND, key=row.pk).exists()
        if row.asked != asked or not waits:
            problems = row.problems if row.asked == asked else {}
            row.asked, row.number, row.problems = asked, row.number + 1, problems
            row.save()
        if not waits:
            queue(KIND, row)
    return row


def _given_up(key: int, why: str) -> None:
    Wanted.objects.filter(pk=key).update(problems={"": why[:300]})


@work(KIND, _given_up, lambda: (), seconds=lambda _: SECONDS, lane="aside")
def perform(key: int) -> None:
    """The work: piece by piece; where the page asks for something else meanwhile, that is gone on with."""
    relations = Relations()
    while True:
        relations.flush()
        row = Wanted.objects.select_related("production").filter(pk=key).first()
        if row is None:
            return
        for problem in _pieces(row, relations):
            fresh = Wanted.objects.filter(pk=key)
            if problem:
                fresh.update(problems={**(fresh.values_list("problems", flat=True).first() or {}), **problem})
            if fresh.values_list("number", flat=True).first() != row.number:
                break
        else:
            relations.flush()
            return


def _pieces(row: Wanted, relations: Relations) -> Iterator[dict[str, str]]:
    """Makes what is missing, a piece at a time; gives a sentence by the key of what could not be made."""
    wall = wall_of(row.production, row.asked)
    yield from _tiles([tile for tile in wall.tiles if tile.figures is None and tile.key not in row.problems])
    told = known(row.production, wall.pairs)
    for pair, (first, second) in wall.pairs.items():
        if pair not in told:
            relations.make(row.production, first, second)
            yield {}


def _tiles(missing: Sequence[Tile]) -> Iterator[dict[str, str]]:
    """Makes tiles, some at once: most of the time they read files and run kernels, which hold nothing up."""
    # One more than there are processors, as each waits for its file now and then.
    with ThreadPoolExecutor(max_workers=min((os.cpu_count() or 1) + 1, AT_ONCE)) as pool:
        try:
            waiting = [(tile, pool.submit(tile.make, tile.regions())) for tile in missing]
            for tile, made in waiting:
                try:
                    made.result()
                    yield {}
                except UpwellingError as error:
                    yield {tile.key: str(error)}
        finally:
            pool.shutdown(cancel_futures=True)  # the page may ask for something else meanwhile


def wall_of(production: Production, asked: dict[str, Any]) -> Wall:
    """What a page asked for."""
    places, chosen = read_places(asked.get("places")), read_places([asked.get("chosen")])
    joins = asked.get("joins") is True
    return Wall(production, show_of(asked, production), places, chosen[0] if chosen else None, joins=joins)
