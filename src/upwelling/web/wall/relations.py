"""How two frames on the wall are apart: where they are alike is found once for a pair of files, what they are apart
there once for each arithmetic.
"""

from __future__ import annotations

import hashlib
import json
import time
from collections.abc import Iterable, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from upwelling.core.errors import UpwellingError
from upwelling.core.match import CannotMatch, Picture, space_of
from upwelling.core.match.registration import Alike, Prepared, alike, area_means, prepared, registered
from upwelling.core.wall.apart import apart
from upwelling.web.bench.frame_values import FrameValues
from upwelling.web.bench.matching import picture_of
from upwelling.web.bench.scope import luma_weights
from upwelling.web.common.kept import Kept
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.pictures import keep, kept_place
from upwelling.web.footage.shot_settings import BARE
from upwelling.web.productions.models import Production
from upwelling.web.wall.models import Relation
from upwelling.web.wall.tiles import Tile

NEAR, NEAR_IN_GROUP = 3, 5
"""Frames before each that it is compared with, and those before it of its own group, wherever they stand."""
BETWEEN = 1.5
"""Seconds between what is put into the database."""
KEPT = 120 * 2**20
"""Bytes of pictures of each kind that are held while others are compared with them."""
VERSION = 1
"""Of how pictures are laid over each other, and told apart."""


def pairs_of(tiles: Sequence[Tile], chosen: Tile | None = None) -> dict[str, tuple[Tile, Tile]]:
    """The pairs that are compared, by key: each with those next before it, and with the chosen one; the next ones
    first.
    """
    found = [(tiles[n - by], tiles[n]) for by in range(1, NEAR + 1) for n in range(by, len(tiles))]
    groups: dict[int, list[Tile]] = {}
    for tile in tiles:
        if tile.shot.group_id is not None:
            mates = groups.setdefault(tile.shot.group_id, [])
            found += [(mate, tile) for mate in mates[-NEAR_IN_GROUP:]]
            mates.append(tile)
    if chosen is not None:
        found += [(chosen, one) for one in tiles]
    unique: dict[str, tuple[Tile, Tile]] = {}
    for first, second in found:
        if (first.shot.pk, first.frame) != (second.shot.pk, second.frame):
            unique.setdefault(relation_key(first, second), (first, second))
    return unique


def relation_key(first: Tile, second: Tile) -> str:
    """Names how two tiles are apart."""
    told = [VERSION, *(part for one in (first, second) for part in (one.file_key, one.fingerprint))]
    return hashlib.sha256(json.dumps(told).encode()).hexdigest()


def known(production: Production, keys: Iterable[str]) -> dict[str, Relation]:
    """What is known of pairs, by key."""
    return {one.key: one for one in Relation.objects.filter(production=production, key__in=list(keys))}


@dataclass(frozen=True, eq=False)
class Ready:
    """A frame as its Input leaves it, for finding where it is alike to others."""

    picture: Picture
    details: Prepared

    @property
    def bytes(self) -> int:
        """Memory it takes."""
        details = self.details
        arrays = (self.picture.rgb, self.picture.usable, details.rgb, details.places, details.looks)
        return sum(int(array.nbytes) for array in arrays)


class Relations:
    """Makes relations, holding on to the pictures that several of them want."""

    def __init__(self) -> None:
        self._ready: Kept[Ready] = Kept(lambda: KEPT, lambda ready: ready.bytes)
        self._values: Kept[Any] = Kept(lambda: KEPT, lambda values: int(values.nbytes))
        self._found: list[Relation] = []
        self._flushed = time.monotonic()

    def flush(self) -> None:
        """Puts what was found into the database: some at once, as pages read all anew when it changes."""
        Relation.objects.bulk_create(self._found, ignore_conflicts=True)
        self._found, self._flushed = [], time.monotonic()

    def make(self, production: Production, first: Tile, second: Tile) -> None:
        """Finds out how two tiles are apart, or why that cannot be told, and keeps it."""
        values, why = None, ""
        try:
            values = asdict(self._apart(first, second))
        except UpwellingError as error:
            why = str(error)[:300]
        key = relation_key(first, second)
        self._found.append(Relation(production=production, key=key, values=values, why=why))
        if time.monotonic() - self._flushed > BETWEEN:
            self.flush()

    def _apart(self, first: Tile, second: Tile) -> Any:
        spaces = {one.path.working for one in (first, second)}
        if len(spaces) > 1:
            raise CannotMatch("The two have different working spaces.")
        both = self._alike(first, second)
        mine, its = self._sampled(first, both.here, both.radius), self._sampled(second, both.there, both.other_radius)
        space = space_of(first.path.working_primaries)
        return apart(mine[:, :3], its[:, :3], mine[:, 3], its[:, 3], both.weights, space)

    def _alike(self, first: Tile, second: Tile) -> Alike:
        """The areas that both show; kept, as what is done to the pictures changes nothing of it."""
        told = json.dumps([VERSION, first.file_key, second.file_key])
        place = kept_place(second.shot, f"alike-{hashlib.sha256(told.encode()).hexdigest()[:24]}.json")
        if place.exists():
            held = json.loads(place.read_bytes())
            if "why" in held:
                raise CannotMatch(held["why"])
            arrays = {name: np.array(held[name], np.float64) for name in ("here", "there", "weights")}
            return Alike(radius=held["radius"], other_radius=held["other_radius"], **_shaped(arrays))
        space = space_of(first.path.working_primaries)
        one, other = self._of(first), self._of(second)
        try:
            made = alike(one.picture, other.picture, registered(one.details, other.details, space))
        except CannotMatch as error:
            keep(place, json.dumps({"why": str(error)}).encode())
            raise
        said = {name: np.round(value, 4).tolist() for name, value in vars(made).items()}
        keep(place, json.dumps(said).encode())
        return made

    def _of(self, tile: Tile) -> Ready:
        ready = self._ready.get(tile.file_key)
        if ready is None:
            picture = picture_of(tile.shot, frame_of(tile.shot, tile.frame), BARE)
            ready = Ready(picture, prepared(picture, space_of(tile.path.working_primaries)))
            self._ready.put(tile.file_key, ready)
        return ready

    def _sampled(self, tile: Tile, middles: Any, radius: float) -> Any:
        """Scene light after the Look and luma of the display's signal (N, 4) of areas."""
        key = (tile.file_key, tile.fingerprint)
        values = self._values.get(key)
        if values is None:
            frame = frame_of(tile.shot, tile.frame)
            made = FrameValues(frame.key, frame.working, tile.path, place=frame.place)
            red, blue = luma_weights(tile.path)
            values = np.dstack([made.scene(), made.signal @ np.array([red, 1 - red - blue, blue], np.float32)])
            self._values.put(key, values)
        return area_means(values, middles, radius).reshape(-1, 4)


def _shaped(arrays: dict[str, Any]) -> dict[str, Any]:
    return {name: value.reshape(-1, 2) if name != "weights" else value for name, value in arrays.items()}
