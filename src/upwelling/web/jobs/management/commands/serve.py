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
        worker = subprocess.Popen([sys.executable, "-m", "upwelling.web.manage", "run_huey", "--quiet"])
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        try:
            waitress.serve(application, host=options["host"], port=options["port"], threads=6, ident="upwelling",
                           max_request_body_size=1024**3)
        finally:
            worker.terminate()
            worker.wait(timeout=20)
