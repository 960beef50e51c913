"""The one way to start work in the background: kinds of work register what does them, ``queue`` writes a task of one
into the database, in the transaction that makes its owner.

The database is the queue: what is written there is done, whoever dies meanwhile. A kind is registered in the service
that does it; ``tasks.py`` of each application imports those services, where the worker finds them.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import partial
from typing import Any, Literal, get_args

from django.conf import settings
from django.db import models, transaction

from upwelling.web.jobs.models import Job, Task

logger = logging.getLogger(__name__)
Perform = Callable[[int], Any]
Lane = Literal["quick", "render", "aside"]
"""Each lane is worked off by a process of its own, so that long renders make nothing else wait; what a page
shows bit by bit is done aside, and takes the processor, as renders do, only when nobody else wants it.
"""
LANES: tuple[Lane, ...] = get_args(Lane)


@dataclass(frozen=True)
class Work:
    """One kind of work, all of it given its owner's key: what does it, what says why it is given up, for how many
    seconds it may go on; which owners wait for it, and the folder of files that only it writes. ``owner_of`` and
    ``page`` find what a job is for, and where people see that; ``dropped`` is told of one cancelled while paused.
    """

    kind: str
    perform: Perform
    give_up: Callable[[int, str], None]
    waiting: Callable[[], Iterable[models.Model]]
    seconds: Callable[[int], float]
    folder: str = ""
    lane: Lane = "quick"
    owner_of: Callable[[Job], models.Model | None] | None = None
    page: Callable[[Any], str] | None = None
    dropped: Callable[[Any], None] | None = None
    can_pause: bool = False
    can_retry: bool = False


WORK: dict[str, Work] = {}


def _usual(key: int) -> float:
    return float(settings.TASK_SECONDS)


def work(
    kind: str,
    give_up: Callable[[int, str], None],
    waiting: Callable[[], Iterable[models.Model]],
    folder: str = "",
    seconds: Callable[[int], float] = _usual,
    **more: Any,
) -> Callable[[Perform], Perform]:
    """Registers a function as what does a kind of work; half-made files in its ``folder`` are swept when a worker has
    died.
    """

    def register(perform: Perform) -> Perform:
        WORK[kind] = Work(kind, perform, give_up, waiting, seconds, folder, **more)
        return perform

    return register


def waiting_job(kind: str, production: Any, user: Any) -> Job:
    """A Job that waits for its turn."""
    return Job.objects.create(kind=kind, production=production, created_by=user, message="Waiting for the worker")


def queue(kind: str, owner: models.Model, job: Job | None = None) -> None:
    """Writes the task of an owner (a bake, a package, an arrival …) for the worker; ``job`` is how people see it."""
    last = Task.objects.aggregate(last=models.Max("rank"))["last"] or 0.0
    given = {"job": job, "stop": False}
    task, _ = Task.objects.update_or_create(
        kind=kind, key=owner.pk, defaults=given, create_defaults={**given, "rank": last + 1}
    )
    if settings.WORK_AT_ONCE:
        transaction.on_commit(partial(_at_once, task))


def queue_again() -> int:
    """Writes tasks for owners that wait and have none: whatever took theirs away. Gives how many."""
    missing = 0
    for kind in WORK.values():
        known = set(Task.objects.filter(kind=kind.kind).values_list("key", flat=True))
        for owner in kind.waiting():
            if owner.pk not in known:
                queue(kind.kind, owner, getattr(owner, "job", None))
                missing += 1
    return missing


def _at_once(task: Task) -> None:
    run(task.pk)
    task.delete()


def run(number: int) -> None:
    """One task, in a process that may die of it. Done twice, it does nothing the second time."""
    task = Task.objects.filter(pk=number).first()
    if task is None:
        return
    begun = time.monotonic()
    logger.info("%s %s begins", task.kind, task.key)
    WORK[task.kind].perform(task.key)
    logger.info("%s %s ends after %.1f s", task.kind, task.key, time.monotonic() - begun)
