"""The worker as a process of its own: work that kills, hangs, eats memory or meets a full disk costs itself alone."""

import os
import signal
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import pytest

_SEED = """
import sys
from django.contrib.auth.models import User
from upwelling.web.jobs.models import Job
from upwelling.web.jobs.work import queue
from upwelling.web.productions.services import create_production
production = create_production(User.objects.create_user("tess"), "Kilnlight")
for kind in KINDS:
    job = Job.objects.create(kind=kind, production=production)
    if TASKS:
        queue(kind, job, job)
"""


class Workshop:
    """A database of its own, and workers on it."""

    def __init__(self, data):
        self.data, self.workers = data, []
        self.environment = {
            **os.environ,
            "UPWELLING_DATA": str(data),
            "DJANGO_SETTINGS_MODULE": "tests.web.deadly.settings",
            "PYTHONPATH": os.getcwd(),  # noqa: PTH109
        }

    def manage(self, *words):
        subprocess.run(
            [sys.executable, "-m", "upwelling.web.manage", *words], env=self.environment, check=True, timeout=120
        )

    def seed(self, *kinds, tasks=True):
        self.manage("shell", "-v0", "-c", f"KINDS={kinds!r}; TASKS={tasks}" + _SEED)

    def work(self, parent=""):
        command = [sys.executable, "-m", "upwelling.web.manage", "work", *([parent] if parent else [])]
        self.workers.append(subprocess.Popen(command, env=self.environment))
        return self.workers[-1]

    def ask(self, question, *values):
        with sqlite3.connect(self.data / "upwelling.sqlite3", timeout=20) as database:
            return database.execute(question, values).fetchall()

    def jobs(self):
        return {
            kind: (state, message) for kind, state, message in self.ask("SELECT kind, state, message FROM jobs_job")
        }

    def until(self, true, seconds=90):
        limit = time.monotonic() + seconds
        while not (found := true()):
            assert time.monotonic() < limit, (self.jobs(), self.ask("SELECT * FROM jobs_task"))
            time.sleep(0.1)
        return found

    def over(self, *kinds):
        return self.until(
            lambda: all(self.jobs()[kind][0] in ("done", "failed", "cancelled") for kind in kinds) and self.jobs()
        )

    def tried(self, kind):
        return len((self.data / f"tried-{kind}").read_text())


@pytest.fixture
def workshop(new_data):
    made = Workshop(new_data)
    yield made
    for worker in made.workers:
        worker.kill()
        worker.wait()


@pytest.mark.slow
def test_deadly_work_costs_itself_alone(workshop):
    workshop.seed("kills", "eats", "hangs", "full", "fine")
    worker = workshop.work()
    jobs = workshop.over("kills", "eats", "hangs", "fine")
    assert jobs["fine"] == ("done", "Done")
    assert jobs["kills"][0] == "failed"
    assert "twice" in jobs["kills"][1]
    assert (workshop.tried("kills"), workshop.tried("hangs"), workshop.tried("eats")) == (2, 2, 1)
    assert "more memory" in jobs["eats"][1]
    assert "longer than 2 seconds" in jobs["hangs"][1]
    assert worker.poll() is None
    assert jobs["full"][0] == "waiting"
    workshop.ask("UPDATE jobs_task SET not_before = '2020-01-01'")  # its half minute is over
    assert workshop.over("full")["full"][0] == "done"
    workshop.until(lambda: not workshop.ask("SELECT * FROM jobs_task"))


@pytest.mark.slow
def test_what_waits_without_a_task_is_found_and_killed_workers_lose_nothing(workshop):
    workshop.seed("slow", "fine", tasks=False)
    worker = workshop.work()
    workshop.until(lambda: workshop.jobs()["slow"][0] == "running")
    worker.send_signal(signal.SIGKILL)
    worker.wait()
    second, third = workshop.work(), workshop.work()
    jobs = workshop.over("slow", "fine")
    assert jobs == {"slow": ("done", "Done"), "fine": ("done", "Done")}
    assert workshop.tried("fine") == 1
    assert second.poll() is None
    assert third.poll() is None  # it waits for the lock, and does nothing
    held = Path(workshop.environment["UPWELLING_DATA"]) / "worker.lock"
    first, other = int(held.read_text()), {second.pid, third.pid}
    assert first in other, "the lock's file names the one that works"
    waiting = third if first == second.pid else second
    os.kill(first, signal.SIGKILL)
    workshop.until(lambda: held.read_text().strip() == str(waiting.pid))
    waiting.terminate()
    workshop.until(lambda: waiting.poll() is not None)


@pytest.mark.slow
def test_work_that_does_not_listen_is_ended_when_it_is_cancelled_and_a_removed_task_is_no_matter(workshop):
    workshop.seed("deaf", "fine")
    workshop.work()
    workshop.until(lambda: workshop.jobs()["deaf"][0] == "running")
    workshop.ask("UPDATE jobs_job SET cancel_requested = 1 WHERE kind = 'deaf'")
    workshop.ask("DELETE FROM jobs_task WHERE kind = 'deaf'")
    assert workshop.over("deaf", "fine")["deaf"] == ("cancelled", "Cancelled; nothing was kept.")


@pytest.mark.slow
def test_a_worker_ends_with_the_process_that_began_it_and_its_hand_with_it(workshop):
    workshop.seed("deaf")
    code = (
        "import os, subprocess, sys, time\n"
        "p = subprocess.Popen([sys.executable, '-m', 'upwelling.web.manage', 'work', str(os.getpid())])\n"
        "print(p.pid, flush=True); time.sleep(600)"
    )
    parent = subprocess.Popen([sys.executable, "-c", code], env=workshop.environment, stdout=subprocess.PIPE, text=True)
    worker = int(parent.stdout.readline())
    workshop.until(lambda: workshop.jobs()["deaf"][0] == "running")
    hands = subprocess.run(["pgrep", "-P", str(worker)], capture_output=True, text=True).stdout.split()
    assert hands
    parent.kill()
    parent.wait()

    def lives(pid):
        status = f"/proc/{pid}/stat"
        return os.path.exists(status) and open(status).read().rsplit(")", 1)[1].split()[0] != "Z"  # noqa: PTH110, PTH123

    workshop.until(lambda: not any(map(lives, [worker, *hands])), 20)
