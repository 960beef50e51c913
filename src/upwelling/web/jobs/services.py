"""Running a Job: states, progress and cancelling, so that a task only says what to do."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from django.db import models
from django.utils import timezone

from upwelling.core.bake.make import Progress
from upwelling.core.errors import UpwellingError
from upwelling.web.common.errors import NO_ROOM, of_the_machine
from upwelling.web.jobs.models import Job, Task
from upwelling.web.jobs.work import Perform, work

logger = logging.getLogger(__name__)
UNDERWAY = (Job.State.WAITING, Job.State.RUNNING)
_BETWEEN_SAVES = 0.25
TOO_MUCH_MEMORY = "It needs more memory than work may have here (UPWELLING_TASK_MB). Nothing was kept."


class Cancelled(Exception):
    """Raised inside the work when someone has asked for it to stop."""


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


def job_work(kind: str, owners: type[models.Model], folder: str = "") -> Callable[[Perform], Perform]:
    """Registers what does a kind of work whose owners have a ``job`` that people see; see ``work``."""
    rows: Any = owners._default_manager.select_related("job")

    def given_up(key: int, why: str) -> None:
        owner = rows.filter(pk=key).first()
        give_up(owner.job if owner else None, why)

    return work(kind, given_up, lambda: rows.filter(job__state__in=UNDERWAY), folder)


def request_cancel(job: Job) -> None:
    """Asks a job to stop; one that has not begun is stopped at once, one that does not listen is ended."""
    Job.objects.filter(pk=job.pk).update(cancel_requested=True)
    Task.objects.filter(job=job).update(stop=True)
    Job.objects.filter(pk=job.pk, state=Job.State.WAITING).update(
        state=Job.State.CANCELLED, finished=timezone.now(), message="Cancelled before it began."
    )
