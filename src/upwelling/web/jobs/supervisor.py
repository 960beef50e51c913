"""The worker: takes tasks from the database one by one and gives them to a process that may die of them.

It decodes nothing itself. It holds a lock that its hand shares, so that there is never a second one at work.
"""

from __future__ import annotations

import datetime
import fcntl
import logging
import math
import os
import select
import shutil
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path as FilePath

from django.conf import settings
from django.db import DatabaseError, close_old_connections
from django.db.models import F, QuerySet
from django.utils import timezone

from upwelling.web.jobs.lifeline import end_with_parent
from upwelling.web.jobs.models import Job, Task
from upwelling.web.jobs.sweeping import sweep
from upwelling.web.jobs.work import WORK, Lane, queue_again

logger = logging.getLogger(__name__)
NO_WORKER = (
    "▲ No worker runs, so what waits is not done. Whoever looks after the server starts it again; nothing is lost."
)
LOOK, AGAIN, PAUSE = 0.3, 60.0, 5.0
"""Seconds between looks at the tasks, between looks for owners without one, and before the database is tried again when
it cannot be read or written."""
MOST_DEATHS, MOST_STARTS = 2, 10
"""Processes that one task may end, and times that it is begun if what ends it is not known to be the task."""
DEFERRED = 30
"""Seconds before a task is tried again that met a full disk or a busy database."""
WARMING = 600
"""Seconds that a new process may take to load, or on a new machine to compile, what it needs."""
PATIENCE = 20
"""Seconds that work has to see that it should stop, before its process is ended."""


def lock_file(lane: Lane = "quick") -> FilePath:
    """Held by the worker of a lane that lives."""
    return FilePath(settings.DATA) / ("worker.lock" if lane == "quick" else f"worker-{lane}.lock")


def worker_runs(lane: Lane = "quick") -> bool:
    """Whether a worker holds the lock of a lane; work done at once needs none."""
    if settings.WORK_AT_ONCE:
        return True
    try:
        with lock_file(lane).open("a") as stream:
            fcntl.flock(stream, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return True
    except OSError:
        return False
    return False


class Hand:
    """The process that does the tasks: told a number, it answers “done” or “later”."""

    def __init__(self, lock: int, lane: Lane) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-m", "upwelling.web.manage", "hand", str(os.getpid()), "--lane", lane],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            pass_fds=[lock],
            start_new_session=True,
        )
        self.begun = 0.0
        self.ready = False

    def wait_until_ready(self) -> None:
        """Until it has loaded what it needs; raises OSError when it ends before that, which is no task's fault."""
        while not self.ready:
            said = self.answer(WARMING)
            if said != "ready":
                self.end()
                raise OSError(f"the process that does the work does not start ({said or 'it takes too long'})")
            self.ready = True

    def give(self, number: int) -> None:
        """Tells it which task to do."""
        assert self.process.stdin is not None
        self.begun = time.monotonic()
        self.process.stdin.write(b"%d\n" % number)
        self.process.stdin.flush()

    def answer(self, seconds: float) -> str:
        """What it said within that time: “done”, “later”, “dead”, or nothing yet."""
        assert self.process.stdout is not None
        if not select.select([self.process.stdout], [], [], seconds)[0]:
            return ""
        return self.process.stdout.readline().decode().strip() or "dead"

    def end(self) -> int:
        """Ends it at once; gives how it ended (minus the signal)."""
        self.process.kill()
        return self.process.wait()


class Supervisor:
    """Runs until it is told to end or its parent is gone."""

    def __init__(self, parent: int, lane: Lane = "quick") -> None:
        self.parent, self.lane = parent, lane
        self.hand: Hand | None = None
        self.swept = self.asked = -math.inf

    def run(self) -> None:
        """Waits for the lock, puts right what the last one left, and works."""
        end_with_parent(self.parent)
        with lock_file(self.lane).open("a") as self.lock:
            while True:
                try:
                    fcntl.flock(self.lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
                    break
                except BlockingIOError:
                    self._check_parent()
                    time.sleep(LOOK)
            self.lock.truncate(0)
            self.lock.write(f"{os.getpid()}\n")  # so that whoever looks sees which of several does the work
            self.lock.flush()
            self._until_it_works(lambda: take_over(self.lane))
            try:
                while True:
                    self._check_parent()
                    self._until_it_works(self._next)
            finally:
                if self.hand is not None:
                    self.hand.end()

    def _check_parent(self) -> None:
        if self.parent and os.getppid() != self.parent:
            sys.exit("The server is gone; its worker ends.")

    def _until_it_works(self, what: Callable[[], None]) -> None:
        """A full disk or a database held by others is waited for, said once; nothing else is survived silently."""
        said = False
        while True:
            try:
                what()
                return
            except (DatabaseError, OSError) as error:
                if not said:
                    logger.error("The worker waits: %s", error)
                said = True
                close_old_connections()
                self._check_parent()
                time.sleep(PAUSE)

    def _next(self) -> None:
        """Does one task, or sweeps and waits for one."""
        task = _tasks_of(self.lane).filter(not_before__lte=timezone.now()).order_by("rank", "pk").first()
        if self.lane == "quick" and time.monotonic() - self.asked > AGAIN:
            queue_again()
            self.asked = time.monotonic()
        if task is None:
            if self.lane == "quick" and time.monotonic() - self.swept > settings.SWEEP_SECONDS:
                sweep()
                self.swept = time.monotonic()
            if self.hand is None and self.lane != "render":
                self.hand = Hand(self.lock.fileno(), self.lane)  # it warms up while nothing waits
            time.sleep(LOOK)
            return
        if task.kind not in WORK or task.starts >= MOST_STARTS:
            self._give_up(task, f"It was begun {task.starts} times and never ended, so it is not tried again.")
            return
        if self.hand is None or self.hand.process.poll() is not None:
            self.hand = Hand(self.lock.fileno(), self.lane)
        self.hand.wait_until_ready()
        Task.objects.filter(pk=task.pk).update(starts=F("starts") + 1, running=True)
        self._do(task, self.hand)

    def _do(self, task: Task, hand: Hand) -> None:
        limit = WORK[task.kind].seconds(task.key)
        try:
            hand.give(task.pk)
        except OSError:
            return self._died(task, "")
        asked_to_stop = 0.0
        while True:
            said = hand.answer(LOOK)
            if said == "done":
                Task.objects.filter(pk=task.pk).delete()
                return None
            if said == "later":
                later = timezone.now() + datetime.timedelta(seconds=DEFERRED)
                Task.objects.filter(pk=task.pk).update(running=False, not_before=later)
                return None
            if said == "dead":
                return self._died(task, "")
            self._check_parent()
            if time.monotonic() - hand.begun > limit:
                return self._died(task, f"It took longer than {limit:.0f} seconds.")
            fresh = Task.objects.filter(pk=task.pk).first()
            if fresh is None or fresh.stop:
                asked_to_stop = asked_to_stop or time.monotonic()
                if fresh is None or time.monotonic() - asked_to_stop > PATIENCE:
                    return self._stopped(task)

    def _stopped(self, task: Task) -> None:
        """Somebody took it away, and it did not stop by itself."""
        assert self.hand is not None
        self.hand.end()
        self.hand = None
        self._give_up(task, "Stopped; nothing was kept.")

    def _died(self, task: Task, why: str) -> None:
        """A task that ends its process twice is given up."""
        assert self.hand is not None
        code = self.hand.end()
        self.hand = None
        logger.warning("%s %s ended its process (%s)", task.kind, task.key, why or code)
        Task.objects.filter(pk=task.pk).update(deaths=F("deaths") + 1, running=False)
        task.refresh_from_db()
        if task.deaths >= MOST_DEATHS:
            self._give_up(
                task,
                f"Reading it ended the process that did, twice. {why}".strip()
                + " It was not tried again; nothing else was touched. The file is damaged, or made to do that.",
            )

    def _give_up(self, task: Task, why: str) -> None:
        if task.kind in WORK:
            WORK[task.kind].give_up(task.key, why)
        Task.objects.filter(pk=task.pk).delete()


def _tasks_of(lane: Lane) -> QuerySet[Task]:
    """The tasks of a lane; those of no known kind are the quick lane's, which gives them up."""
    others = [kind.kind for kind in WORK.values() if kind.lane != lane]
    if lane == "quick":
        return Task.objects.exclude(kind__in=others)
    return Task.objects.filter(kind__in=[kind.kind for kind in WORK.values() if kind.lane == lane])


def take_over(lane: Lane = "quick") -> None:
    """Before a worker begins: what the last one was in the middle of waits again, and its half-made files go."""
    mine = [kind for kind in WORK.values() if kind.lane == lane]
    for folder in filter(None, (kind.folder for kind in mine)):
        for place in (FilePath(settings.FILES) / folder).rglob(".part-*"):
            shutil.rmtree(place) if place.is_dir() else place.unlink(missing_ok=True)
    _tasks_of(lane).filter(running=True).update(running=False)
    Job.objects.filter(state=Job.State.RUNNING, kind__in=[kind.kind for kind in mine]).update(
        state=Job.State.WAITING, message="Begun again: the worker stopped"
    )
