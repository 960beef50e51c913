"""Matching the shot in hand to what it is compared with: another shot or a Mark, as it is after its trim."""

from __future__ import annotations

import base64
from dataclasses import dataclass
from typing import Any

import numpy as np
from django.utils import timezone

from upwelling.core.arrays import Float32
from upwelling.core.charts.grid import Corners
from upwelling.core.match import BY_ITSELF, METHODS, CannotMatch, Match, Picture, Space, by_pairs, chart, space_of
from upwelling.core.match.difference import CLASSES, Difference, difference
from upwelling.core.match.outcome import STEM, for_camera, put
from upwelling.core.match.pairs import MOST, SIDE, Marked
from upwelling.core.path import Correction
from upwelling.core.scopes.picture_views import NEAR_COLOURS, classes_view
from upwelling.web.bench.frame_values import FrameValues
from upwelling.web.common.pictures import png
from upwelling.web.common.requests import Refused, list_of, number
from upwelling.web.footage.frames import Frame, frame_of
from upwelling.web.footage.models import Camera, Mark, Shot
from upwelling.web.footage.paths import path_at, path_of
from upwelling.web.footage.shot_settings import BARE, ShotSettings, read_settings

Marks = tuple[Any, Any]
"""What a page sent of pairs: their places, and the side of each."""
SMALLEST, LARGEST = 0.002, 0.5


@dataclass(frozen=True)
class Reference:
    """What is matched to: a shot under settings, at a frame of its file."""

    shot: Shot
    settings: ShotSettings
    frame: int
    name: str


def reference_of(shot: Shot, kind: str, pk: int, frame: int | None) -> Reference:
    """A Mark of the shot, a reference on the shelf, or another shot of its production; raises Refused."""
    if kind == "mark":
        mark = Mark.objects.filter(shot=shot, pk=pk).first()
        if mark is None:
            raise Refused("That Mark is no longer there. Choose another under “Compare with”.")
        return Reference(shot, mark.shot_settings, shot.frame if frame is None else frame, f"Mark {mark.name}")
    if kind == "shelf":
        kept = shot.production.references.select_related("shot__camera", "shot__production").filter(pk=pk).first()
        if kept is None:
            raise Refused("That reference is no longer on the shelf. Choose another under “Compare with”.")
        return Reference(kept.shot, kept.shot_settings, kept.frame, kept.name)
    other = Shot.objects.select_related("camera", "production").filter(production=shot.production_id, pk=pk).first()
    if kind != "shot" or other is None:
        raise Refused(
            "Choose a shot, a Mark or a reference under “Compare with” first: it is what this one is matched to."
        )
    at = other.frame if frame is None else min(max(frame, other.first_frame), other.last_frame)
    return Reference(other, other.settings, at, other.name)


def found(
    shot: Shot, frame: Frame, settings: ShotSettings, reference: Reference, method: str, marked: Marks = ([], None)
) -> tuple[Match, str]:
    """What brings the shot under settings, without its trim, to the reference, and how it was found: for a note.

    Raises Refused or CannotMatch.
    """
    space = _comparable(shot, settings, reference)
    mine = picture_of(shot, frame, settings.model_copy(update={"trim_on": False}))
    its = picture_of(reference.shot, frame_of(reference.shot, reference.frame), reference.settings)
    made = _found(method, mine, its, space, marked, _corners(shot, reference.shot))
    where = reference.shot.frame_said(reference.frame)
    said = f"{METHODS[method].split(':')[0]}, {timezone.localdate():%-d %B %Y}, {where} of "
    return made, f"{said}{reference.name} ({reference.shot.sha256[:8]}):"


def apart(shot: Shot, frame: Frame, settings: ShotSettings, reference: Reference) -> dict[str, Any]:
    """How far the shot under settings and the reference are apart, place by place, both as their trims leave them: a
    picture, a table and what its colours mean. Raises Refused or CannotMatch.
    """
    one_frame = _is_one_frame(shot, frame, reference)
    made = _difference(shot, frame, settings, reference)
    said = f"{made.seen * 100:.0f} % of this picture is compared"
    if not one_frame:
        said += f", {made.confidence * 100:.0f} % sure of the place; edges tell of another point of view"
    return {
        "image": "data:image/png;base64," + base64.b64encode(png(classes_view(made.classes))).decode(),
        "legend": [
            {"colour": "#{:02x}{:02x}{:02x}".format(*colour), "label": _span(low, high)}
            for colour, (low, high) in zip(NEAR_COLOURS, CLASSES, strict=True)
        ],
        "rows": [
            {"name": name, "median": f"{median:.2f}", "most": f"{most:.2f}", "share": f"{share * 100:.0f} %"}
            for name, median, most, share in made.rows
        ],
        "said": f"{said}.",
    }


def _is_one_frame(shot: Shot, frame: Frame, reference: Reference) -> bool:
    return bool(reference.shot.pk == shot.pk and reference.frame == frame.number)


def _difference(shot: Shot, frame: Frame, settings: ShotSettings, reference: Reference) -> Difference:
    """Of the two, both as their trims leave them."""
    space = _comparable(shot, settings, reference)
    mine = picture_of(shot, frame, settings)
    its = picture_of(reference.shot, frame_of(reference.shot, reference.frame), reference.settings)
    return difference(mine, its, space, same_framing=_is_one_frame(shot, frame, reference))


def _span(low: float, high: float) -> str:
    if low == 0:
        return f"under {high:g}"
    return f"{low:g} to {high:g}" if np.isfinite(high) else f"over {low:g}"


def put_into(settings: ShotSettings, made: Match, said: str, reference: Reference) -> ShotSettings:
    """The settings with a match in a group of its own before the trim's steps; raises BadValue where they are too
    many.
    """
    steps, groups = put(settings.steps, settings.groups, made, reference.name, said)
    return read_settings(settings.model_copy(update={"steps": steps, "groups": groups}).model_dump(mode="json"))


AS_FOUND = " That is the match as found, without this shot's own steps."


def as_shown(shot: Shot, frame: Frame, settings: ShotSettings, reference: Reference) -> str:
    """How near the picture on the screen is, with the shot's own steps on top, or that it cannot be told."""
    try:
        made = _difference(shot, frame, settings, reference)
    except CannotMatch:
        return "As shown, this shot's own steps lie on top; how near that is cannot be told place by place."
    _, median, most, _ = made.rows[0]
    return f"As shown, with this shot's own steps on top: ΔE 2000 median {median:.2f}, 95 % below {most:.2f}."


def on_top(settings: ShotSettings, made: Match) -> list[str]:
    """A remark where the shot's own steps act after a match."""
    off = {group.id for group in settings.groups if not group.acts}
    acting = any(
        step.on and not step.changes_nothing for step in settings.steps if step.group != STEM and step.group not in off
    )
    return ["This shot's own steps act on top of it."] if made.steps and acting else []


def matched(
    shot: Shot, frame: Frame, settings: ShotSettings, reference: Reference, method: str, marked: Marks
) -> dict[str, Any]:
    """The settings with the match in their trim, and what it says. ``marked`` are the pairs a page sent, and the side
    of each place as a share of the height.
    """
    made, said = found(shot, frame, settings, reference, method, marked)
    taken, own = put_into(settings, made, said, reference), bool(on_top(settings, made))
    return {
        "settings": taken.model_dump(mode="json"),
        "reference": reference.name,
        "sentence": made.sentence() + "." + (AS_FOUND if own else ""),
        "shown": as_shown(shot, frame, taken, reference) if own else "",
        "remarks": [*made.remarks, *on_top(settings, made)],
        "pairs": [
            {"before": round(a, 2), "after": round(b, 2), "outlier": wrong, "hue": None if h is None else round(h, 1)}
            for a, b, wrong, h in zip(made.before, made.samples, made.outliers, made.hues, strict=True)
        ]
        if method == "pairs"
        else [],
    }


def corrected(camera: Camera, shot: Shot, other: Shot, method: str) -> Correction:
    """What brings a camera to another, by a shot of each, both as their Inputs leave them and without any trim; not
    kept yet. Raises Refused or CannotMatch.
    """
    if shot.camera_id != camera.pk:
        raise Refused(f"{shot.name} is not a shot of {camera.name}. Choose one that is.")
    if other.camera_id == camera.pk:
        raise Refused(f"{other.name} is of {camera.name} too. Choose a shot of the camera that it is to match.")
    whose = other.camera.name if other.camera else other.name
    reference = Reference(other, BARE, other.frame, other.name)
    made, said = found(shot, frame_of(shot), BARE.model_copy(update={"correction_on": False}), reference, method)
    if not made.steps:
        raise Refused(f"{made.sentence()}. {' '.join(made.remarks)}")
    return for_camera(made, whose, said)


def refuse_unsettled(shot: Shot) -> None:
    """Raises Refused for a shot whose codes stand for no light."""
    if not shot.settled.is_settled or not shot.is_managed:
        raise Refused(f"The encoding of {shot.name} is not settled: its codes stand for no light. Settle it first.")


def _comparable(shot: Shot, settings: ShotSettings, reference: Reference) -> Space:
    """The working space of both; raises Refused."""
    for one in (shot, reference.shot):
        refuse_unsettled(one)
    working = path_of(shot, settings).working_primaries
    if path_of(reference.shot).working_primaries != working:
        raise Refused("The two shots have different working spaces.")
    return space_of(working)


def picture_of(shot: Shot, frame: Frame, settings: ShotSettings) -> Picture:
    """Scene light that leaves the trim, at working size."""
    path = path_at(shot, frame.number, settings)
    light: Float32 = FrameValues(frame.key, frame.working, path, place=frame.place).scene("trim")
    return Picture.of(light.copy(), frame.working)


def _corners(shot: Shot, other: Shot) -> tuple[Corners | None, Corners | None]:
    mine, its = (
        tuple((float(x), float(y)) for x, y in one.chart_corners) if one.chart_corners else None
        for one in (shot, other)
    )
    return mine, its  # type: ignore[return-value]


def _found(
    method: str,
    mine: Picture,
    its: Picture,
    space: Space,
    marked: Marks,
    corners: tuple[Corners | None, Corners | None],
) -> Match:
    if method == "pairs":
        return by_pairs(mine, its, space, _pairs(*marked))
    if method == "chart":
        return chart.match(mine, its, space, corners)
    return BY_ITSELF[method](mine, its, space)


def _pairs(marked: Any, side: Any) -> list[tuple[Marked, Marked]]:
    found = []
    across = SIDE if side is None else min(max(number(side), SMALLEST), LARGEST)
    for row in list_of(marked)[: MOST + 1]:
        places = [list_of(one) for one in list_of(row)]
        if len(places) != 2 or any(len(one) != 2 for one in places):
            raise Refused("The page sent pairs that are none. Reload it.")
        (ax, ay), (bx, by) = ((min(max(number(v), 0.0), 1.0) for v in one) for one in places)
        found.append(((ax, ay, across), (bx, by, across)))
    if not found:
        raise Refused("Mark at least one pair: a place in this picture and the same place in the other.")
    return found
