"""Runs the web server and one worker together; stopping one stops the other."""

from __future__ import annotations

import signal
import subprocess
import sys
import threading
from typing import Any

import waitress
from django.core.management.base import BaseCommand, CommandParser

from upwelling.core.warm import warm
from upwelling.web.jobs.services import fail_interrupted
from upwelling.web.wsgi import application


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--host", default="127.0.0.1")
        parser.add_argument("--port", type=int, default=8000)

    def handle(self, *args: Any, **options: Any) -> None:
        fail_interrupted()
        threading.Thread(target=warm, daemon=True).start()
        self.stopping = threading.Event()
        self.worker = self.start_worker()
        threading.Thread(target=self.keep_worker, daemon=True).start()
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        try:
            waitress.serve(application, host=options["host"], port=options["port"], threads=6, ident="upwelling",
                           max_request_body_size=1024**3)
        finally:
            self.stopping.set()
            self.worker.terminate()
            self.worker.wait(timeout=20)

    def start_worker(self) -> subprocess.Popen[bytes]:
        return subprocess.Popen([sys.executable, "-m", "upwelling.web.manage", "run_huey", "--quiet"])

    def keep_worker(self) -> None:
        """Starts another worker when one dies; what it was doing is said to have failed, what waits goes on."""
        while True:
            self.worker.wait()
            if self.stopping.wait(1.0):
                return
            fail_interrupted()
            self.worker = self.start_worker()
