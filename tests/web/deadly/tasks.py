"""Each kind's owner is a Job."""

import errno
import os
import signal
import time
from pathlib import Path as FilePath

from django.conf import settings

from upwelling.web.jobs.models import Job
from upwelling.web.jobs.services import UNDERWAY, give_up, running
from upwelling.web.jobs.work import work


def _given_up(key, why):
    give_up(Job.objects.get(pk=key), why)


def _deadly(kind, seconds=600):
    def register(does):
        def perform(key):
            job = Job.objects.get(pk=key)
            if job.is_over:
                return
            with (FilePath(settings.DATA) / f"tried-{kind}").open("a") as stream:
                stream.write("x")
            with running(job) as progress:
                does(progress)

        waiting = Job.objects.filter(kind=kind, state__in=UNDERWAY)
        work(kind, _given_up, waiting.all, seconds=lambda key: seconds)(perform)

    return register


@_deadly("fine")
def _(progress):
    progress(0.5, "half")


@_deadly("kills")
def _(progress):
    os.kill(os.getpid(), signal.SIGKILL)


@_deadly("hangs", seconds=1.5)
def _(progress):
    time.sleep(600)


@_deadly("deaf")
def _(progress):
    time.sleep(600)


@_deadly("eats")
def _(progress):
    bytearray(20 * 2**30)


@_deadly("slow")
def _(progress):
    time.sleep(1.0)


_full = []


@work("full", _given_up, Job.objects.filter(kind="full", state__in=UNDERWAY).all)
def _(key):
    """Finds the disk full the first time."""
    mark = FilePath(settings.DATA) / "was-full"
    if not mark.exists():
        mark.touch()
        raise OSError(errno.ENOSPC, "No space left on device")
    with running(Job.objects.get(pk=key)):
        pass
