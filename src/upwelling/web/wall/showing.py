"""What stands on the wall: frames of shots, as a list or a cut's events, and what of each is shown side by side."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, get_args

from django.utils import timezone

from upwelling.core.path import Path
from upwelling.web.common.finding import Finder
from upwelling.web.common.requests import list_of, one_of, text_of, whole, whole_or
from upwelling.web.cuts.models import Cut
from upwelling.web.footage.around import ShotFrames
from upwelling.web.footage.finding import found
from upwelling.web.footage.listing import managed
from upwelling.web.footage.look_models import InForce, Version, looks_of
from upwelling.web.footage.models import Mark, Shot
from upwelling.web.footage.paths import listed_settings_of, path_of
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.productions.models import Production

Mode = Literal["shots", "outputs", "looks", "states"]
MODES: dict[Mode, str] = {"shots": "shots", "outputs": "outputs", "looks": "Looks", "states": "states"}
MOST_SIDE_BY_SIDE = 5
"""Columns of one shot."""
MOST_ROWS = 240
"""Frames that a page asks for at once; what is beyond is not in sight."""


@dataclass(frozen=True)
class Place:
    """One frame on the wall: a shot's number, the frame, and the cut's event that it is of (0: none)."""

    shot: int
    frame: int
    event: int = 0


@dataclass(frozen=True)
class Column:
    """One of what is shown of a shot side by side. ``key`` is its own within the mode."""

    key: str
    title: str


NOW = Column("", "now")
STATES = (NOW, Column("today", "last Mark of today"), Column("before", "last Mark before today"))


@dataclass(frozen=True)
class Show:
    """What a page of the wall shows of each frame."""

    mode: Mode
    columns: tuple[Column, ...]
    output: str = ""
    strength: float = 1.0

    def as_json(self) -> dict[str, Any]:
        """As a page keeps it and asks for it."""
        keys = [one.key for one in self.columns]
        return {"by": self.mode, "column": keys, "output": self.output, "strength": f"{100 * self.strength:.0f}"}


def show_of(asked: Mapping[str, Any], production: Production) -> Show:
    """What is asked for, of what there is: an address's words, or what a page keeps (``Show.as_json``)."""
    many = asked.getlist if hasattr(asked, "getlist") else lambda name: list_of(asked.get(name))
    mode: Mode = one_of(asked.get("by"), get_args(Mode), "shots")
    picked = [text_of(key, 60) for key in many("column")]
    columns = tuple(one for one in offered(production, mode) if one.key in picked) or usual(production, mode)
    names = [one.key for one in offered(production, "outputs")]
    strength = min(whole_or(asked.get("strength"), 100), 100) / 100
    return Show(mode, columns[:MOST_SIDE_BY_SIDE], one_of(asked.get("output"), names, ""), strength)


def offered(production: Production, mode: Mode) -> tuple[Column, ...]:
    """What can be shown side by side."""
    if mode == "outputs":
        return tuple(Column(name, name) for name in production.rule_set.outputs)
    if mode == "looks":
        return (NOW, *(Column(str(one.look), one.name) for one in looks_of(production).offered))
    return STATES if mode == "states" else (NOW,)


def usual(production: Production, mode: Mode) -> tuple[Column, ...]:
    """What is shown side by side where nobody chose."""
    return offered(production, mode)[: 2 if mode == "outputs" else 4]


def places(production: Production, asked: Finder, cut: Cut | None) -> list[Place]:
    """The frames of the wall in order: a cut's events at their middle, or the shots asked for."""
    if cut is not None:
        events = cut.events.filter(state="found", shot__in=managed(production)).exclude(first=None)
        rows = events.order_by("number").values_list("shot", "first", "frames", "number")
        return [Place(shot, (first or 0) + max(frames - 1, 0) // 2, at) for shot, first, frames, at in rows if shot]
    frames = dict(production.shots.values_list("pk", "frame"))
    return [Place(number, frames[number]) for number in found(asked, managed(production))]


def read_places(value: Any) -> list[Place]:
    """What a page sends of frames."""
    rows = [list_of(one) for one in list_of(value)[:MOST_ROWS]]
    return [Place(whole(row[0]), whole(row[1])) for row in rows if len(row) == 2]


class Paths:
    """The paths of what stands on the wall, with Marks and Looks read once."""

    def __init__(self, production: Production, show: Show, shots: Sequence[Shot]) -> None:
        self.show = show
        self._looks: dict[str, Version] = {}
        self._marks: dict[tuple[str, int], Mark] = {}
        if show.mode == "looks":
            self._looks = {str(one.look): one for one in looks_of(production).offered}
        if show.mode == "states":
            today = timezone.localtime().replace(hour=0, minute=0, second=0, microsecond=0)
            for mark in Mark.objects.filter(shot__in=[shot.pk for shot in shots]).order_by("pk"):
                self._marks["today" if mark.created >= today else "before", mark.shot_id] = mark

    def of(self, shot: Shot, frame: int, column: Column, settings: ShotSettings | None = None) -> Path | None:
        """The path of a frame in a column; None where the shot has none such. ``settings`` are not saved yet."""
        chosen, output = settings or shot.settings, self.show.output
        if self.show.mode == "outputs":
            output = column.key
        elif self.show.mode == "states" and column.key:
            mark = self._marks.get((column.key, shot.pk))
            if mark is None:
                return None
            chosen = mark.shot_settings
        path = path_of(shot, chosen, output, checked=False)
        if self.show.mode == "looks" and column.key:
            look = InForce(self._looks[column.key], self.show.strength, "shot")
            path = path.with_layers(look=look.stage(path.layer("look").on))
        return path.at(frame).fed(ShotFrames(shot, frame))

    def title_of(self, shot: Shot, column: Column) -> str:
        """What stands over a frame in a column: the Mark's own name, or whether a Look is the one in force."""
        if self.show.mode == "looks":
            now = looks_of(shot.production).in_force(shot, listed_settings_of(shot))
            if not column.key:
                name = f"{now.version.name}, {100 * now.strength:.0f} %" if now.version else "no Look"
                return f"now: {name}"
            if now.version is not None and str(now.version.look) == column.key:
                return f"{column.title} ● in force"
        mark = self._marks.get((column.key, shot.pk))
        return mark.name if mark else column.title
