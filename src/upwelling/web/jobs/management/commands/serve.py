"""Runs the web server and a worker of each lane together; stopping one stops the others."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser

from upwelling.core.warm import warm
from upwelling.web.jobs.work import LANES
from upwelling.web.server import serve
from upwelling.web.wsgi import application

FIRST_ANSWER, LONGEST_PAUSE = 1.0, 8.0
"""Seconds that the server has for itself before it shares the machine with the worker; between workers that die at
once the pause grows up to the second."""


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--host", default="127.0.0.1")
        parser.add_argument("--port", type=int, default=8000)
        parser.add_argument("--demo", action="store_true", help="migrate and seed Kilnlight first, in this process")

    def handle(self, *args: Any, **options: Any) -> None:
        settings.DATA.chmod(0o700)  # folders of earlier versions were open to others
        for queue in settings.DATA.glob("queue.sqlite3*"):  # where tasks waited before the database was the queue
            queue.unlink()
        if options["demo"]:
            call_command("migrate", verbosity=0)
            call_command("seed_kilnlight", stdout=self.stdout)
        self.stopping = threading.Event()
        self.workers: dict[str, subprocess.Popen[bytes]] = {}
        for lane in LANES:
            threading.Thread(target=self.keep_worker, args=(lane,), daemon=True).start()
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        try:
            host, port = options["host"], options["port"]
            serve(application, host, port, lambda: self.say_ready(host, port))
        finally:
            self.stopping.set()
            for worker in self.workers.values():
                worker.terminate()
            for worker in self.workers.values():
                try:
                    worker.wait(timeout=10)
                except subprocess.TimeoutExpired:
                    worker.kill()

    def say_ready(self, host: str, port: int) -> None:
        """Where the pages are, where footage is registered from, and what a first user needs."""
        self.stdout.write(f"Upwelling is running at http://{host}:{port}/ until it is stopped (Ctrl-C).")
        self.stdout.write(f"Footage can be registered from {FilePath(settings.MEDIA_FOLDER).resolve()}.")
        if not get_user_model().objects.exists():
            self.stdout.write("Nobody can sign in yet: make a user with “upwelling user add NAME --creates”.")
        sys.stdout.flush()

    def keep_worker(self, lane: str) -> None:
        """Keeps a lane's worker alive: another when one dies. What that was doing is begun again.

        The server answers first; then it loads the kernels, or on a new machine compiles them, before the worker
        wants them.
        """
        pause = FIRST_ANSWER
        while not self.stopping.wait(pause):
            begun = time.monotonic()
            command = [sys.executable, "-m", "upwelling.web.manage", "work", str(os.getpid()), "--lane", lane]
            self.workers[lane] = subprocess.Popen(command)
            if lane == "quick":
                warm()
            self.workers[lane].wait()
            pause = min(2 * pause, LONGEST_PAUSE) if time.monotonic() - begun < 10 else FIRST_ANSWER
