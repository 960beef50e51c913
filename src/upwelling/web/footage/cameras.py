"""Cameras: proposing groups, making and changing them, and what follows for their shots."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from django.db import transaction

from upwelling.core.count_of import count_of
from upwelling.core.documents import sealed
from upwelling.core.errors import BadValue
from upwelling.core.raw import Development
from upwelling.web.common.requests import Refused
from upwelling.web.footage.models import RANGES, Camera, Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.recognition import apply_recognition, maker_and_model, settle_by_camera
from upwelling.web.productions.models import Production

_LIKENESS = (
    *("name", "original_name", "metadata", "codec", "width", "height", "depth"),
    *("encoding", "state", "raw_profile", "camera", "production"),
)
"""What a likeness is read from; the rest of a shot weighs more."""


@dataclass(frozen=True)
class Proposal:
    """Shots that look like one camera's, why, and what the camera would be."""

    key: str
    name: str
    make: str
    model: str
    why: str
    encoding: str
    shots: tuple[Shot, ...]


def proposals(production: Production) -> list[Proposal]:
    """Groups of shots without a camera: by maker and model, or by the beginning of their names and their format."""
    groups: dict[tuple[str, ...], list[Shot]] = {}
    alone = list(production.shots.filter(camera=None).only(*_LIKENESS))
    makers = {model: make for make, model in (maker_and_model(shot.metadata) for shot in alone) if make}
    for shot in alone:
        groups.setdefault(_likeness(shot, makers), []).append(shot)
    taken = {camera.name for camera in production.cameras.all()}
    made = []
    for key, members in sorted(groups.items()):
        if len(members) < 2 and key[0] != "metadata":
            continue
        make, model = (key[1], key[2]) if key[0] == "metadata" else ("", "")
        name = _free(model or f"{key[1]}-camera", taken)
        sure = Counter(_own_word(shot) for shot in members if _own_word(shot) and shot.state in ("known", "settled"))
        encoding = sure.most_common(1)[0][0] if len(sure) == 1 else ""
        files = count_of(len(members), "file")
        why = (
            f"{files} from {make} {model}".strip()
            if model
            else f"{files} whose names begin with {key[1]}, all {key[2]}"
        )
        made.append(Proposal("|".join(key), name, make, model, why, encoding, tuple(members)))
    return made


def _own_word(shot: Shot) -> str:
    return "" if shot.is_raw else shot.encoding


def _free(name: str, taken: set[str]) -> str:
    number, free = 2, name[:60]
    while free in taken:
        free, number = f"{name[:56]} {number}", number + 1
    taken.add(free)
    return free


def _likeness(shot: Shot, makers: dict[str, str]) -> tuple[str, ...]:
    make, model = maker_and_model(shot.metadata)
    if model:
        return "metadata", make or makers.get(model, ""), model
    letters = "".join(character for character in shot.original_name[:4] if character.isalpha()).upper() or "?"
    return "likeness", letters, f"{shot.codec} {shot.width} × {shot.height}, {shot.depth} bit"


@transaction.atomic
def accept_proposal(production: Production, key: str) -> Camera:
    """Makes the camera of a proposal and gives it its shots."""
    found = next((p for p in proposals(production) if p.key == key), None)
    if found is None:
        raise Refused(
            "That proposal is no longer there: its shots have been given a camera meanwhile. Reload the page."
        )
    camera = Camera.objects.create(
        production=production, name=found.name, make=found.make, model=found.model, encoding=found.encoding
    )
    assign(camera, production.shots.filter(pk__in=[shot.pk for shot in found.shots]).select_related("production"))
    return camera


@transaction.atomic
def create_camera(production: Production, name: str) -> Camera:
    """A new camera without shots; raises Refused for an empty or taken name."""
    name = name.strip()[:60]
    if not name:
        raise Refused("A camera needs a name, such as A-cam.")
    if production.cameras.filter(name__iexact=name).exists():
        raise Refused(f"This production already has a camera “{name}”.")
    return Camera.objects.create(production=production, name=name)


@transaction.atomic
def assign(camera: Camera | None, shots: Iterable[Shot]) -> int:
    """Gives shots a camera, or none; each is recognised again with what the camera says. Gives how many."""
    count = 0
    for shot in shots:
        _ask_anew(shot)
        shot.camera = camera
        apply_recognition(shot)
        _follow(shot)
        shot.save(update_fields=["camera", "state", "encoding", "recognition"])
        count += 1
    return count


def into_camera(shot: Shot, name: str) -> Shot:
    """Gives a shot the camera of that name, made if there is none; a camera that has said nothing yet records what its
    first sure shot does.
    """
    production = shot.production
    camera = production.cameras.filter(name__iexact=name).first() or create_camera(production, name)
    word = _own_word(shot) if shot.state in (Shot.State.KNOWN, Shot.State.SETTLED) else ""
    assign(camera, [shot])
    if word and not camera.encoding:
        change_camera(camera, name=camera.name, encoding=word, code_range=camera.range)
    return production.shots.select_related("production", "camera").get(pk=shot.pk)


def _ask_anew(shot: Shot) -> None:
    """What only a camera's word had settled is open again, before that word changes."""
    if shot.state == Shot.State.SETTLED and shot.encoding == "":
        shot.state = Shot.State.UNKNOWN


def _follow(shot: Shot) -> None:
    """An encoding that says what the camera says anyway becomes inherited."""
    if shot.camera and shot.encoding and shot.encoding == shot.camera.encoding:
        shot.encoding = ""
    settle_by_camera(shot)


@transaction.atomic
def change_camera(camera: Camera, *, name: str, encoding: str, code_range: str) -> Camera:
    """Saves a camera's definition; its shots are recognised again and follow it unless they say otherwise."""
    name = name.strip()[:60]
    if not name:
        raise Refused("A camera needs a name, such as A-cam.")
    if camera.production.cameras.filter(name__iexact=name).exclude(pk=camera.pk).exists():
        raise Refused(f"This production already has a camera “{name}”.")
    if code_range not in dict(RANGES):
        raise Refused("The code range is either full, legal or as each file says.")
    camera.name, camera.range = name, code_range
    camera.encoding = camera.production.checked_encoding(encoding)
    camera.save()
    for shot in camera.shots.select_related("production", "camera"):
        _ask_anew(shot)
        apply_recognition(shot)
        _follow(shot)
        shot.save(update_fields=["state", "encoding", "recognition"])
    return camera


def set_development(camera: Camera, body: Any) -> Camera:
    """The raw development that the camera's raw shots share; raises BadValue."""
    try:
        camera.development = sealed("development", Development.model_validate(body).model_dump(mode="json"))
    except ValueError as error:
        first = error.errors()[0] if hasattr(error, "errors") else {"loc": (), "msg": str(error)}
        raise BadValue(f"{' '.join(str(p) for p in first['loc']).capitalize()}: {first['msg']}.") from None
    for shot in camera.shots.filter(raw_profile__isnull=False).select_related("production", "camera"):
        shot.camera = camera
        path_of(shot)
    camera.save(update_fields=["development"])
    return camera


def remove_camera(camera: Camera) -> None:
    """Removes a camera; its shots stay, without one."""
    assign(None, list(camera.shots.select_related("production")))
    camera.delete()
