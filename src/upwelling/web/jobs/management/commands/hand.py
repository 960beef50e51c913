"""The process that does the worker's tasks, with limits on its memory: it may die of a file, the worker does not."""

from __future__ import annotations

import logging
import os
import resource
import signal
import sys
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandParser
from django.db import close_old_connections
from django.utils.module_loading import autodiscover_modules

from upwelling.core.warm import warm
from upwelling.web.common.errors import of_the_machine
from upwelling.web.jobs.lifeline import end_with_parent
from upwelling.web.jobs.work import LANES, run

logger = logging.getLogger(__name__)
RENDER_NICE = 19


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("parent", type=int)
        parser.add_argument("--lane", choices=LANES, default="quick")

    def handle(self, *args: Any, **options: Any) -> None:
        end_with_parent(options["parent"], signal.SIGKILL)
        answers = os.fdopen(os.dup(1), "w", buffering=1)
        os.dup2(2, 1)  # what libraries print is no answer
        autodiscover_modules("tasks")
        warm()  # waits while the server compiles, then loads: never the same twice side by side
        if options["lane"] != "quick":
            # And every process it starts: whatever a person waits for goes first.
            os.nice(RENDER_NICE)
            os.sched_setscheduler(0, os.SCHED_IDLE, os.sched_param(0))
        if options["lane"] != "render" and settings.TASK_MEMORY:
            resource.setrlimit(resource.RLIMIT_AS, (settings.TASK_MEMORY, settings.TASK_MEMORY))
        resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
        print("ready", file=answers)
        for line in sys.stdin:
            print(_done(int(line)), file=answers)


def _done(number: int) -> str:
    close_old_connections()
    try:
        run(number)
    except Exception as error:
        if of_the_machine(error) is None:
            raise  # a fault of ours ends this process: the worker counts that
        logger.warning("Task %s waits: %s", number, error)
        return "later"
    return "done"
