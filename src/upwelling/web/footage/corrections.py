"""What brings all shots of a camera to another camera: kept with the camera, switched, taken away."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.db.models import F, QuerySet, TextField
from django.db.models.functions import Cast
from pydantic import ValidationError

from upwelling.core.documents import sealed
from upwelling.core.match.outcome import STEM
from upwelling.core.parameters import refusal
from upwelling.core.path import Correction
from upwelling.core.steps.group import StepGroup
from upwelling.web.common.requests import Refused
from upwelling.web.footage.history import apply_settings
from upwelling.web.footage.layer_content import LayerContent
from upwelling.web.footage.layer_services import exceptions as layer_exceptions
from upwelling.web.footage.layer_services import layer_for, save_layer
from upwelling.web.footage.models import Camera, Shot, ShotState
from upwelling.web.footage.paths import path_of


def keep_correction(camera: Camera, correction: Correction, found_on: Shot | None, reference: Shot | None) -> Camera:
    """Keeps a correction with the camera in place of the one it has."""
    camera.correction = sealed("camera correction", correction.model_dump(mode="json"))
    camera.corrected_from, camera.corrected_to = found_on, reference
    camera.save(update_fields=["correction", "corrected_from", "corrected_to"])
    return camera


def switch_correction(camera: Camera, on: bool) -> Camera:
    """Switches it for all shots of the camera; raises Refused where there is none."""
    held = camera.own_correction
    if held is None:
        raise Refused(f"{camera.name} has no correction. Match it to another camera first.")
    camera.correction = sealed("camera correction", held.model_copy(update={"on": on}).model_dump(mode="json"))
    camera.save(update_fields=["correction"])
    return camera


def remove_correction(camera: Camera) -> Camera:
    """Its shots enter the trim as their encoding has them again."""
    camera.correction, camera.corrected_from, camera.corrected_to = None, None, None
    camera.save(update_fields=["correction", "corrected_from", "corrected_to"])
    return camera


@transaction.atomic
def give_match(shot: Shot, user: Any, reference: Shot | None, *, version: int) -> tuple[Shot, Correction]:
    """Moves the match out of the shot's trim into its camera's correction, after what that has already: the shot's
    picture stays as it is, and the camera's other shots follow. Raises Refused or Outdated; nothing is changed then.
    """
    camera = shot.camera
    if camera is None:
        raise Refused(f"{shot.name} has no camera. Give it one in Intake first.")
    settings = shot.settings
    group = next((one for one in settings.groups if one.id == STEM), None)
    steps = tuple(step for step in settings.steps if step.group == STEM)
    if group is None or not steps:
        raise Refused("There is no match in this shot's trim to give.")
    if not group.acts or not settings.trim_on:
        raise Refused("The match is switched off, so nobody saw what it does. Switch it on first.")
    held = camera.own_correction
    acting = held is not None and held.acts and settings.correction_on
    if held is not None and not acting:
        raise Refused(
            f"{camera.name} has a correction that does not act on this shot, so the two cannot be joined. Switch it on "
            "and match again, or remove it on the camera's page."
        )
    if held is not None and (held.strength, group.strength) != (1, 1):
        raise Refused(
            f"{camera.name} has a correction already, and two can be joined only at full strength. Set this match to "
            "100 % if it is weakened; if the camera's is, remove it on its page and match again."
        )
    between = acting_between(shot)
    if between:
        raise Refused(
            f"{' and '.join(between)} stand between the camera’s correction and this match, so the picture would "
            "change. Move the steps of the match into the camera’s trim instead, one by one, or switch those off first."
        )
    note = next((step.note for step in steps if step.note), "")
    try:
        made = Correction(name=group.name, note=note, steps=(held or Correction()).then(steps), strength=group.strength)
    except ValidationError as error:
        raise Refused(f"The match cannot be the camera's: {refusal(error)} Set limits and keys aside first.") from None
    keep_correction(camera, made, shot, reference)
    left = settings.model_copy(
        update={
            "steps": tuple(step for step in settings.steps if step.group != STEM),
            "groups": tuple(one for one in settings.groups if one.id != STEM),
        }
    )
    shot.camera = camera
    return apply_settings(shot, user, left, version=version, label=f"match given to {camera.name}"), made


def acting_between(shot: Shot) -> list[str]:
    """The layers that act on a shot between its Input and its own trim, by name."""
    path = path_of(shot)
    names = {"camera_trim": "the camera’s trim", "group_trim": "the group’s trim"}
    return [words for kind, words in names.items() if path.layer(kind).acting(path.target)]  # type: ignore[arg-type]


@transaction.atomic
def correction_to_layer(camera: Camera, user: Any) -> str:
    """Makes the correction's steps the first of the camera's trim, which comes right after it: no picture changes.
    Gives their names. Raises Refused where some shot's would.
    """
    held = camera.own_correction
    if held is None or not held.acts:
        raise Refused(f"{camera.name} has no correction that acts. Match it to another camera, or switch it on.")
    shot = camera.shots.select_related("production").first()
    if shot is None:
        raise Refused(f"{camera.name} has no shots, so nothing would be seen of it.")
    layer = layer_for(shot, "camera_trim")
    now, apart = layer.content, [state.shot.name for state, _ in layer_exceptions(layer)]
    left = sorted({*apart, *exceptions(camera).values_list("shot__name", flat=True)})
    if left:
        raise Refused(
            f"{', '.join(left[:6])} take{'s' if len(left) == 1 else ''} the correction or the camera’s trim otherwise, "
            "so their pictures would change. Let them follow first."
        )
    if now.steps and (now.strength < 1 or not now.on):
        raise Refused(f"{camera.name}’s trim is weakened or off, and the correction is not. Set it to 100 % first.")
    taken = [step.id for step in now.steps]
    steps = []
    for step in held.then(()):
        name = next(n for n in (step.id, *(f"{step.id[:10]}{k}" for k in range(2, 99))) if n not in taken)
        taken.append(name)
        steps.append(step.model_copy(update={"id": name, "group": STEM}))
    groups = (StepGroup(id=STEM, name=held.name, strength=held.strength), *now.groups)
    content = LayerContent(steps=(*steps, *now.steps), groups=groups, strength=now.strength, on=now.on)
    save_layer(layer, user, content, number=layer.number, label="the correction, to be worked at by hand")
    remove_correction(camera)
    return ", ".join(step.shown_name for step in steps)


def exceptions(camera: Camera) -> QuerySet[ShotState]:
    """The present states of the camera's shots that leave its correction out."""
    return _present(camera).filter(settings__correction_on=False).select_related("shot")


def own_matches(camera: Camera) -> int:
    """How many shots of the camera have a match in their own trim, which acts on top of the camera's correction."""
    said = _present(camera).annotate(said=Cast("settings", TextField()))
    return said.filter(said__contains=f'"id": "{STEM}", "name"').count()


def given_said(name: str, shot: Shot) -> str:
    """What follows from a match that was given to the shot's camera."""
    camera = shot.camera
    if camera is None:
        return ""
    others, again = camera.shots.count() - 1, own_matches(camera)
    follow = "1 more shot follows" if others == 1 else f"{others} more shots follow"
    said = f"{name} is {camera.name}’s correction now; {follow} it."
    have = "1 of them has a match of its own" if again == 1 else f"{again} of them have matches of their own"
    return f"{said} {have}, acting on top." if again else said


def _present(camera: Camera) -> QuerySet[ShotState]:
    return ShotState.objects.filter(shot__camera=camera, position=F("shot__position"))
