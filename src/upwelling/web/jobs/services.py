"""Running a Job: states, progress and cancelling, so that a task only says what to do."""

from __future__ import annotations

import logging
import shutil
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path as FilePath

from django.conf import settings
from django.utils import timezone

from upwelling.core.bake.make import Progress
from upwelling.core.errors import UpwellingError
from upwelling.web.jobs.models import Job

logger = logging.getLogger(__name__)
_BETWEEN_SAVES = 0.25
WORKERS_FOLDERS = ("bakes", "packages")
"""Folders that only the worker writes, so that what is half-made there can be swept when it has died."""


class Cancelled(Exception):
    """Raised inside the work when someone has asked for it to stop."""


@contextmanager
def running(job: Job, share: tuple[float, float] = (0.0, 1.0)) -> Iterator[Progress]:
    """Marks a job as running, gives its progress callback, and settles its state however the block ends.

    Only what changes is written, so that a cancel that came in since the job was read is not lost: the work ends at its first word of progress.
    """
    job.state, job.started, job.message = Job.State.RUNNING, timezone.now(), "Starting"
    begun = Job.objects.filter(pk=job.pk).exclude(state=Job.State.CANCELLED).update(state=job.state, started=job.started, message=job.message)
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
        _settle(job, Job.State.CANCELLED, "Cancelled; nothing was kept.")
    except UpwellingError as error:
        _settle(job, Job.State.FAILED, str(error))
    except Exception:
        logger.exception("Job %s failed", job.pk)
        _settle(job, Job.State.FAILED, "A fault of ours stopped this work. Nothing saved was lost; start it again.")
    else:
        job.progress = 1.0
        _settle(job, Job.State.DONE, "Done")


def _settle(job: Job, state: Job.State, message: str) -> None:
    Job.objects.filter(pk=job.pk).update(state=state, message=message[:300], finished=timezone.now(),
                                         **({"progress": 1.0} if state == Job.State.DONE else {}))


def request_cancel(job: Job) -> None:
    """Asks a job to stop; one that has not begun is stopped at once."""
    Job.objects.filter(pk=job.pk).update(cancel_requested=True)
    Job.objects.filter(pk=job.pk, state=Job.State.WAITING).update(
        state=Job.State.CANCELLED, finished=timezone.now(), message="Cancelled before it began.")


def fail_interrupted() -> int:
    """Before a worker starts: what was running when the last one died is said to have failed, and its half-made files go. Gives how many."""
    for folder in WORKERS_FOLDERS:
        for place in (FilePath(settings.FILES) / folder).rglob(".part-*"):
            shutil.rmtree(place) if place.is_dir() else place.unlink(missing_ok=True)
    return Job.objects.filter(state=Job.State.RUNNING).update(
        state=Job.State.FAILED, finished=timezone.now(), message="The worker stopped in the middle. Start it again.")
