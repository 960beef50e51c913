"""Small moves made on tiles: into each shot's trim, several at once, and taken back by one undo."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.db import transaction

from upwelling.core.count_of import count_of
from upwelling.core.errors import UpwellingError
from upwelling.core.parameters import signed
from upwelling.core.steps import AnyStep, Step
from upwelling.web.bench.first_pass import CONTROLS as PASS_CONTROLS
from upwelling.web.common.requests import Refused
from upwelling.web.footage.history import next_state
from upwelling.web.footage.models import SharedChange, Shot
from upwelling.web.footage.shot_settings import ShotSettings, free_id, read_settings
from upwelling.web.productions.models import Production

SOURCE = "the wall"
MOST = 240
"""Shots moved at once."""


@dataclass(frozen=True)
class Control:
    """What a hand moves on a tile: a value of the first step of a kind; by how much a key moves it."""

    title: str
    step: type[Step]
    field: str
    by: float
    unit: str
    digits: int


_MOVED = {
    "exposure": (0.1, " stops", 2),
    "warmth": (100.0, " K", 0),
    "tint": (0.001, "", 4),
    "saturation": (0.02, "", 2),
}
"""What of a first pass's controls moves on a tile: by how much, the unit, and its digits."""
CONTROLS = {name: Control(*PASS_CONTROLS[name], *how) for name, how in _MOVED.items()}


def moved(settings: ShotSettings, control: Control, by: float) -> ShotSettings:
    """The settings with a value of the trim moved, held at its ends. Raises Refused where it changes along the shot, or
    the trim is off.
    """
    if not settings.trim_on:
        raise Refused("Its trim is off.")
    steps = list(settings.steps)
    at = next((n for n, one in enumerate(steps) if isinstance(one, control.step) and _takes(one)), None)
    if at is None:
        steps.append(control.step(id=free_id(steps, control.step().kind)))
        at = len(steps) - 1
    step: AnyStep = steps[at]
    if any(track.parameter == control.field for track in step.tracks):
        raise Refused(f"Its {control.title.lower()} changes along the shot: move it on the Bench.")
    extra: Any = type(step).model_fields[control.field].json_schema_extra
    value = min(max(getattr(step, control.field) + by, extra["low"]), extra["high"])
    steps[at] = step.model_copy(update={control.field: round(value, 6)})
    return read_settings(settings.model_copy(update={"steps": tuple(steps)}).model_dump(mode="json"))


def _takes(step: AnyStep) -> bool:
    """Whether a step acts wholly and everywhere, and for every output; a Match's steps are left as they were found."""
    return step.on and step.strength == 1 and not step.limit and not step.output and not step.group


@transaction.atomic
def move(
    production: Production, user: Any, numbers: Sequence[int], control: Control, by: float
) -> tuple[SharedChange, list[str]]:
    """Moves a value in the trims of shots, as one change that is taken back at once; and sentences about those that
    could not be. Raises Refused where none could.
    """
    if not numbers or len(numbers) > MOST:
        raise Refused(f"Choose between one and {MOST} shots.")
    said = f"{control.title} {signed(by, control.digits)}{control.unit}"
    change = SharedChange.objects.create(production=production, source=SOURCE, steps=said, created_by=user)
    left, done = [], 0
    for shot in Shot.objects.select_for_update().filter(pk__in=numbers, production=production):
        shot.production = production
        try:
            next_state(shot, user, moved(shot.settings, control, by), said, change)
            done += 1
        except UpwellingError as error:
            left.append(f"{shot.name}: {error}")
    if not done:
        raise Refused(" ".join(left) or "These shots are no longer there.")
    change.steps = f"{said} on {count_of(done, 'shot')}"
    change.save(update_fields=["steps"])
    return change, left
