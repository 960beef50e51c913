"""Cutting a long flattened movie into shots."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import transaction

from upwelling.core.measure.scene_cuts import ranges, strengths
from upwelling.core.media import Movie, looked_at
from upwelling.core.recognise import signal_facts
from upwelling.web.common.requests import Refused
from upwelling.web.footage.history import apply_settings
from upwelling.web.footage.models import Shot, SplitPlan
from upwelling.web.footage.recognition import apply_recognition, signal_as_json
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.jobs.services import job_work, running
from upwelling.web.jobs.work import queue, waiting_job


@transaction.atomic
def plan_split(shot: Shot, user: Any) -> SplitPlan:
    """Starts looking for scene changes in a movie; raises Refused for anything else."""
    if shot.kind != "movie":
        raise Refused(f"{shot.name} is not a movie, so there is nothing to split.")
    if shot.frames < 2:
        raise Refused(f"{shot.name} has one frame, so there is nothing to split.")
    job = waiting_job("split", shot.production, user)
    plan, _ = SplitPlan.objects.update_or_create(shot=shot, defaults={"job": job, "strengths": []})
    queue("split", plan, job)
    return plan


@job_work("split", SplitPlan)
def find_cuts(plan_id: int) -> None:
    """The work: decode once, measure each frame against the one before."""
    plan = SplitPlan.objects.select_related("shot__production", "job").filter(pk=plan_id).first()
    if plan is None or plan.job is None or plan.job.is_over:
        return
    shot = plan.shot
    with running(plan.job) as progress:
        footage = shot.footage
        if not isinstance(footage, Movie):
            raise Refused(f"{shot.name} is not a movie, so there is nothing to split.")
        total = footage.facts.frames
        values = strengths(
            footage.luma_frames(), lambda index: progress(min(index / total, 0.99), f"Frame {index + 1} of {total}")
        )
        plan.strengths = [round(value, 4) for value in values[shot.first_frame : shot.last_frame + 1]]
        plan.save(update_fields=["strengths"])


def split(shot: Shot, user: Any, cut_frames: Sequence[int]) -> list[Shot]:
    """Makes shots of a movie's ranges between cuts (frame numbers within the shot); the first keeps the shot's own
    page.

    Every new shot begins with the settings, camera and encoding of the one it was cut from.
    """
    made = ranges(cut_frames, shot.frames)
    if len(made) < 2:
        raise Refused("There is no cut to split at. Add one, or lower the threshold.")
    base, settings = shot.name[:108], shot.settings
    first_frame = shot.first_frame
    parts = []
    for number, (start, end) in enumerate(made, 1):
        part = Shot.objects.get(pk=shot.pk)
        part.name, part.first_frame, part.frames = f"{base}, part {number}", first_frame + start, end - start + 1
        part.frame = part.first_frame + part.frames // 2
        _look_again(part)
        parts.append(part)
    return _saved(shot, user, parts, settings)


@transaction.atomic
def _saved(shot: Shot, user: Any, parts: Sequence[Shot], settings: ShotSettings) -> list[Shot]:
    """Nothing is decoded here: a transaction that writes keeps everybody else from writing."""
    shots = []
    for number, part in enumerate(parts, 1):
        if number > 1:
            part.pk, part._state.adding, part.version, part.position = None, True, 0, 0
        part.save()
        if number > 1 and settings.model_dump() != type(settings)().model_dump():
            part = apply_settings(part, user, settings, version=0, label="from the movie it was cut from")
        shots.append(part)
    SplitPlan.objects.filter(shot=shot).delete()
    return shots


def _look_again(part: Shot) -> None:
    """The signal of a part is its own: bars or clipping elsewhere in the movie are not."""
    stills = looked_at(part.footage, {part.first_frame, part.frame, part.last_frame}).stills
    part.signal_json = signal_as_json(signal_facts(stills))
    apply_recognition(part)
