"""The worker: does what waits in the database, one task after the other."""

from __future__ import annotations

import signal
import sys
from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from django.utils.module_loading import autodiscover_modules

from upwelling.web.jobs.supervisor import Supervisor
from upwelling.web.jobs.work import LANES


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("parent", type=int, nargs="?", default=0, help="the process it ends with; none by itself")
        parser.add_argument("--lane", choices=LANES, default="quick", help="which work it does")

    def handle(self, *args: Any, **options: Any) -> None:
        autodiscover_modules("tasks")
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        Supervisor(options["parent"], options["lane"]).run()
