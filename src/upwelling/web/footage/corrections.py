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
from upwelling.web.common.requests import Refused
from upwelling.web.footage.history import apply_settings
from upwelling.web.footage.models import Camera, Shot, ShotState


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
