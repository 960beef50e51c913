"""A Look given to many shots: a few at once, many in the background, a batch at a time so that others can save."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import transaction

from upwelling.web.common.requests import Refused
from upwelling.web.footage.history import next_state
from upwelling.web.footage.look_models import Look, forget_looks
from upwelling.web.footage.look_services import checked_strength
from upwelling.web.footage.models import SharedChange, Shot
from upwelling.web.footage.shot_settings import OwnLook
from upwelling.web.jobs.services import job_work, running
from upwelling.web.jobs.work import queue, waiting_job
from upwelling.web.productions.models import Production

AT_ONCE, BATCH = 40, 20
"""Shots that are given a Look while a page waits, and in one transaction of the worker’s."""


@transaction.atomic
def give_look(
    production: Production,
    user: Any,
    look: Look | None,
    strength: float,
    numbers: Sequence[int],
    *,
    inherit: bool = False,
) -> SharedChange:
    """Gives a Look (or none, or back what is inherited) to shots, each as its next state; one undo takes it back from
    all. Many are given it by the worker, with a job to be seen.
    """
    if not numbers:
        raise Refused("Choose at least one shot.")
    said = "the inherited Look" if inherit else f"{look.name} at {strength * 100:.0f} %" if look else "no Look"
    plan = {"look": look.pk if look else 0, "strength": checked_strength(strength), "inherit": inherit}
    change = SharedChange.objects.create(
        production=production, source="the Looks page", steps=said[:300], created_by=user, plan=plan
    )
    if len(numbers) <= AT_ONCE:
        _give(change, numbers)
        return change
    change.plan = {**plan, "shots": list(numbers)}
    change.job = waiting_job("give", production, user)
    change.save(update_fields=["plan", "job"])
    queue("give", change, change.job)
    return change


def _give(change: SharedChange, numbers: Sequence[int]) -> None:
    plan = change.plan
    own = None if plan["inherit"] else OwnLook(look=plan["look"], strength=plan["strength"])
    had = set(change.states.values_list("shot", flat=True))
    for shot in Shot.objects.select_for_update().filter(pk__in=numbers, production=change.production):
        if shot.pk not in had:
            shot.production = change.production
            settings = shot.settings.model_copy(update={"look": own})
            next_state(shot, change.created_by, settings, f"Look: {change.steps}", change)


@job_work("give", SharedChange)
def give_to_many(key: int) -> None:
    """The work: batch by batch; what was given before it was broken off is not given again."""
    change = SharedChange.objects.select_related("job", "production", "created_by").filter(pk=key).first()
    if change is None or change.job is None or change.job.is_over:
        return
    numbers = change.plan["shots"]
    with running(change.job) as progress:
        for first in range(0, len(numbers), BATCH):
            progress(first / len(numbers), f"{first} of {len(numbers)} shots")
            forget_looks(change.production)
            with transaction.atomic():
                _give(change, numbers[first : first + BATCH])
