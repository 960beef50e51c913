"""Running a Job: states, progress and cancelling, so that a task only says what to do."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from typing import Any

from django.db import models, transaction
from django.utils import timezone

from upwelling.core.bake.make import Progress
from upwelling.core.errors import UpwellingError
from upwelling.web.common.errors import NO_ROOM, of_the_machine
from upwelling.web.common.requests import Refused
from upwelling.web.jobs.models import Job, Task
from upwelling.web.jobs.work import WORK, Perform, queue, work

logger = logging.getLogger(__name__)
UNDERWAY = (Job.State.WAITING, Job.State.RUNNING)
_BETWEEN_SAVES = 0.25
TOO_MUCH_MEMORY = "It needs more memory than work may have here (UPWELLING_TASK_MB). Nothing was kept."


class Cancelled(Exception):
    """Raised inside the work when someone has asked for it to stop."""


class Paused(Exception):
    """Raised inside the work when someone has asked for it to pause, and it can go on from where it is."""


@contextmanager
def running(job: Job, share: tuple[float, float] = (0.0, 1.0)) -> Iterator[Progress]:
    """Marks a job as running, gives its progress callback, and settles its state however the block ends.

    Only what changes is written, so that a cancel that came in since the job was read is not lost: the work ends at its
    first word of progress.
    """
    job.state, job.started, job.message = Job.State.RUNNING, timezone.now(), "Starting"
    begun = (
        Job.objects.filter(pk=job.pk)
        .exclude(state=Job.State.CANCELLED)
        .update(state=job.state, started=job.started, message=job.message)
    )
    last = 0.0

    def progress(done: float, message: str) -> None:
        nonlocal last
        if not begun:
            raise Cancelled
        now = time.monotonic()
        if done < 1 and now - last < _BETWEEN_SAVES:
            return
        last = now
        if Job.objects.filter(pk=job.pk, cancel_requested=True).exists():
            raise Cancelled
        Job.objects.filter(pk=job.pk).update(progress=done, message=message[:300])

    try:
        yield progress
    except Cancelled:
        settle(job, Job.State.CANCELLED, "Cancelled; nothing was kept.")
    except Paused:
        settle(job, Job.State.PAUSED, "Paused; what is done is kept")
    except UpwellingError as error:
        settle(job, Job.State.FAILED, str(error))
    except MemoryError:
        settle(job, Job.State.FAILED, TOO_MUCH_MEMORY)
    except Exception as error:
        if of_the_machine(error):
            logger.warning("Job %s met a machine in need: %s", job.pk, error)
            settle(job, Job.State.FAILED, NO_ROOM)
            return
        logger.exception("Job %s failed", job.pk)
        settle(job, Job.State.FAILED, "A fault of ours stopped this work. Nothing saved was lost; start it again.")
    else:
        job.progress = 1.0
        settle(job, Job.State.DONE, "Done")


def settle(job: Job, state: Job.State, message: str) -> None:
    """Ends a job in a state, with what is said of it."""
    Job.objects.filter(pk=job.pk).update(
        state=state,
        message=message[:300],
        finished=timezone.now(),
        **({"progress": 1.0} if state == Job.State.DONE else {}),
    )


def give_up(job: Job | None, why: str) -> None:
    """Ends a job whose process cannot: cancelled where that was wanted, failed for any other reason."""
    if job is None or job.is_over:
        return
    wanted = job.cancel_requested
    settle(job, Job.State.CANCELLED if wanted else Job.State.FAILED, "Cancelled; nothing was kept." if wanted else why)


def job_work(kind: str, owners: type[models.Model], folder: str = "", **more: Any) -> Callable[[Perform], Perform]:
    """Registers what does a kind of work whose owners have a ``job`` that people see; see ``work``."""
    rows: Any = owners._default_manager.select_related("job")

    def given_up(key: int, why: str) -> None:
        owner = rows.filter(pk=key).first()
        give_up(owner.job if owner else None, why)

    def owner_of(job: Job) -> Any:
        return rows.filter(job=job).first()

    return work(kind, given_up, lambda: rows.filter(job__state__in=UNDERWAY), folder, owner_of=owner_of, **more)


def request_cancel(job: Job) -> None:
    """Asks a job to stop; one that has not begun is stopped at once, one that does not listen is ended."""
    Job.objects.filter(pk=job.pk).update(cancel_requested=True)
    Task.objects.filter(job=job).update(stop=True)
    Job.objects.filter(pk=job.pk, state__in=(Job.State.WAITING, Job.State.PAUSED)).update(
        state=Job.State.CANCELLED, finished=timezone.now(), message="Cancelled before it began."
    )
    kind = WORK.get(job.kind)
    if job.state == Job.State.PAUSED and kind is not None and kind.dropped is not None and kind.owner_of is not None:
        owner = kind.owner_of(job)
        if owner is not None:
            kind.dropped(owner)


def request_pause(job: Job) -> None:
    """Asks a job to wait until it is told to go on; raises Refused for one that cannot."""
    kind = WORK.get(job.kind)
    if job.state == Job.State.WAITING:
        Task.objects.filter(job=job, running=False).delete()
        Job.objects.filter(pk=job.pk, state=Job.State.WAITING).update(state=Job.State.PAUSED, message="Paused")
    elif job.state == Job.State.RUNNING and kind is not None and kind.can_pause:
        Job.objects.filter(pk=job.pk).update(pause_requested=True)
    else:
        raise Refused("This work is short and cannot be paused. Cancel it, or let it end.")


@transaction.atomic
def request_resume(job: Job) -> None:
    """Lets a paused job wait for its turn again; raises Refused where it is none, or what it was for is gone."""
    _again(job, (Job.State.PAUSED,), "It is not paused.")


@transaction.atomic
def request_retry(job: Job) -> None:
    """Lets a failed or cancelled job try again; raises Refused."""
    kind = WORK.get(job.kind)
    if kind is None or not kind.can_retry:
        raise Refused("Begin this work again from its own page.")
    _again(job, (Job.State.FAILED, Job.State.CANCELLED), "It has not failed.")


def _again(job: Job, states: tuple[Job.State, ...], otherwise: str) -> None:
    kind = WORK.get(job.kind)
    owner = kind.owner_of(job) if kind is not None and kind.owner_of is not None else None
    if job.state not in states:
        raise Refused(otherwise)
    if owner is None:
        raise Refused("What it was for is no longer there.")
    Job.objects.filter(pk=job.pk).update(
        state=Job.State.WAITING,
        message="Waiting for the worker",
        cancel_requested=False,
        pause_requested=False,
        finished=None,
    )
    job.refresh_from_db()
    queue(job.kind, owner, job)


@transaction.atomic
def move(job: Job, by: int) -> None:
    """Takes a waiting job so many places forward (negative) or back among those that wait in its lane."""
    tasks, at = _waiting_with(job)
    task = tasks.pop(at)
    tasks.insert(max(at + by, 0), task)
    _rank(tasks)


@transaction.atomic
def put_in_order(job: Job, order: Sequence[int]) -> None:
    """Puts the jobs that wait in a job's lane in the order of these numbers; those not named come last."""
    tasks, _ = _waiting_with(job)
    places = {number: place for place, number in enumerate(order)}
    tasks.sort(key=lambda task: places.get(task.job_id or 0, len(places)))
    _rank(tasks)


def _waiting_with(job: Job) -> tuple[list[Task], int]:
    lane = WORK[job.kind].lane if job.kind in WORK else "quick"
    kinds = [kind.kind for kind in WORK.values() if kind.lane == lane]
    tasks = list(Task.objects.filter(kind__in=kinds, running=False).order_by("rank", "pk"))
    at = next((n for n, task in enumerate(tasks) if task.job_id == job.pk), None)
    if at is None:
        raise Refused("It does not wait any more.")
    return tasks, at


def _rank(tasks: Sequence[Task]) -> None:
    for number, one in enumerate(tasks):
        Task.objects.filter(pk=one.pk).update(rank=number)
