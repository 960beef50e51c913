"""A tile: a frame's picture under a path, its parade and its figures, made once for each arithmetic and kept."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path as FilePath
from typing import Any

import cv2
import numpy as np

from upwelling.core.match.light import space_of
from upwelling.core.path import Path
from upwelling.core.scopes.dots import luma_of
from upwelling.core.scopes.levels import level_picture, parade
from upwelling.core.scopes.picture_views import to_bytes
from upwelling.core.scopes.spans import Region, inner, mask_of, region_spans
from upwelling.core.wall.apart import light_told
from upwelling.web.bench.bars import bars_in
from upwelling.web.bench.frame_values import FrameValues
from upwelling.web.bench.scope import luma_weights
from upwelling.web.common.pictures import jpeg
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.pictures import keep, kept_place
from upwelling.web.outputs.pictures import coloured
from upwelling.web.wall.regions import region_at

WIDE = 480
"""Pixels across of a tile's picture at most."""
QUALITY = 88
PARADE = (96, 72)
"""Levels and columns of each channel's parade, all of the display's signal: the same axis on every tile."""
VERSION = 1
"""Of what a tile holds; another is made anew."""


def place_of(shot: Shot, frame: int, key: str, what: str) -> FilePath:
    """Where a part of a tile is kept."""
    return kept_place(shot, f"{frame}-wall-{key}-{what}")


def is_made(shot: Shot, frame: int, key: str) -> bool:
    """Whether all of a tile that a page names is there."""
    return key.isalnum() and place_of(shot, frame, key, "figures.json").exists()


@dataclass(frozen=True)
class Tile:
    """One frame of a shot under a path that stands at that frame."""

    shot: Shot
    frame: int
    path: Path

    @cached_property
    def fingerprint(self) -> str:
        """Of its path."""
        return self.path.fingerprint

    @cached_property
    def file_key(self) -> str:
        """What says where its picture is alike to others: the frame, and what its codes stand for."""
        settled = self.shot.settled
        return f"{self.shot.sha256}-{self.frame}-{settled.encoding}-{settled.range}"

    @cached_property
    def key(self) -> str:
        """Names its files: everything that the picture or a figure of it comes from."""
        marks = {kind: [row["region"], row["frame"]] for kind, row in self.shot.known_regions.items()}
        told = json.dumps([VERSION, self.file_key, self.fingerprint, marks], sort_keys=True)
        return hashlib.sha256(told.encode()).hexdigest()[:24]

    def place(self, what: str) -> FilePath:
        """Where a part of it is kept: ``picture.jpg``, ``parade.jpg`` or ``figures.json``, the last to be written."""
        return place_of(self.shot, self.frame, self.key, what)

    @property
    def figures(self) -> dict[str, Any] | None:
        """What is measured; None while it is not made."""
        held = self.__dict__
        if "made" not in held:
            try:
                held["made"] = json.loads(self.place("figures.json").read_bytes())
            except (OSError, ValueError):
                return None
        made: dict[str, Any] = held["made"]
        return made

    def regions(self) -> dict[str, Region]:
        """What is marked, where it lies at this frame; asks the database, and follows over the movie."""
        found = {kind: region_at(self.shot, kind, self.frame) for kind in self.shot.known_regions}
        return {kind: region for kind, region in found.items() if region is not None}

    def make(self, regions: Mapping[str, Region]) -> None:
        """Makes and keeps what is missing of it, without the database; raises what reading its frame raises."""
        if self.figures is not None:
            return
        picture, scope, figures = drawn(self.shot, self.frame, self.path, regions)
        keep(self.place("picture.jpg"), picture)
        keep(self.place("parade.jpg"), scope)
        keep(self.place("figures.json"), json.dumps(figures).encode())


def drawn(shot: Shot, number: int, path: Path, regions: Mapping[str, Region]) -> tuple[bytes, bytes, dict[str, Any]]:
    """A frame's picture and parade as JPEG, and its figures, with those of the regions marked in it."""
    frame = frame_of(shot, number)
    factor = max(1, -(-frame.working.shape[1] // WIDE))
    code, place = frame.reduced(factor)
    made = FrameValues((*frame.key, "wall"), code, path, place=place)
    made.render()
    rows, columns = code.shape[:2]
    above, below, left, right = (size // factor for size in bars_in(shot, frame))
    spans = inner(rows, columns, (above, below, left, right))
    scope = level_picture(parade(made.signal, spans, *PARADE), rows, columns)
    told = {kind: _region(made, region) for kind, region in regions.items()}
    figures = {"luma": _luma(made, mask_of(spans, columns)), "regions": told}
    return jpeg(to_bytes(made.view), QUALITY), jpeg(coloured(scope[:, ::-1], "parade"), QUALITY), figures


def _luma(made: FrameValues, inside: Any) -> float:
    """Mean luma of the display's signal, 0…1."""
    mean = cv2.mean(made.signal, inside.astype(np.uint8) if inside.any() else None)[:3]
    return round(float(luma_of(np.array(mean), luma_weights(made.path))), 5)


def _region(made: FrameValues, region: Region) -> dict[str, float | None]:
    """Stops, mired and Duv of a region's mean light."""
    light = made.scene()
    rows, columns = light.shape[:2]
    inside = mask_of(region_spans(rows, columns, region), columns)
    told = light_told(light[inside].mean(axis=0, dtype=np.float64), space_of(made.path.working_primaries))
    stops, mired, duv = told or (None, None, None)
    return {"stops": stops, "mired": mired, "duv": duv}
