"""What is wrong with a data folder and what to do about it: database, files, work that stands still, disk, workers."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path as FilePath

from django.conf import settings
from django.db import connection, transaction
from django.db.migrations.executor import MigrationExecutor
from django.utils import timezone
from django.utils.module_loading import autodiscover_modules

from upwelling.core.files import digest_of
from upwelling.web.bakes.models import Bake, Package
from upwelling.web.deliveries.models import Delivery
from upwelling.web.footage.models import Shot
from upwelling.web.jobs.models import Job
from upwelling.web.jobs.supervisor import worker_runs
from upwelling.web.jobs.sweeping import SWEEPS, spooled
from upwelling.web.jobs.work import Lane

OVERDUE = timedelta(hours=12)
"""Work that has run for longer without an end is named. Our own choice."""
SCARCE = 2.0
"""Times the reserve that uploads leave free, under which the disk counts as nearly full."""


@dataclass(frozen=True, slots=True)
class Ailment:
    """``what`` is wrong, and what to ``do``. ``grave``: pictures, tables or settings are in danger or gone."""

    what: str
    do: str
    grave: bool = True


def examine(*, hashes: bool = False) -> Iterator[Ailment]:
    """Every finding, one after the other; ``hashes`` reads every file of footage, which takes as long as that takes."""
    for look in LOOKS:
        yield from look()
    yield from _shots(hashes=hashes)


def _database() -> Iterator[Ailment]:
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA integrity_check(20)")
        said = [row[0] for row in cursor.fetchall()]
        cursor.execute("PRAGMA foreign_key_check")
        loose = cursor.fetchmany(20)
    if said != ["ok"]:
        yield Ailment(
            f"The database is damaged: {'; '.join(said[:3])}.",
            "Stop the server, keep a copy of the data folder, and restore the last backup that was not damaged.",
        )
    if loose:
        tables = ", ".join(sorted({str(row[0]) for row in loose}))
        yield Ailment(
            f"Rows of {tables} name others that are gone.",
            "Restore the last backup, or write to whoever gave you Upwelling with the name of the tables.",
        )


def _migrations() -> Iterator[Ailment]:
    executor = MigrationExecutor(connection)
    waiting = executor.migration_plan(executor.loader.graph.leaf_nodes())
    if waiting:
        yield Ailment(
            f"The database is of an earlier version: {len(waiting)} changes wait.",
            "Make a backup, then start the server once: it brings the database up.",
        )


def _made() -> Iterator[Ailment]:
    """Tables, packages and deliveries whose files are gone."""
    for row in Bake.objects.exclude(file="").iterator():
        if not row.disk_path.exists():
            yield Ailment(f"The table {row.file_name} of bake {row.pk} is gone.", "Bake it again on the Bakes page.")
    for package in Package.objects.exclude(file="").iterator():
        if not package.disk_path.exists():
            yield Ailment(f"The package {package.file_name} is gone.", "Make it again on its page.")
    for one in Delivery.objects.exclude(verdict="").defer("order_json").iterator():
        # Stills are numbered by a name that no file has: their folder tells.
        if not (one.at if one.files > 1 else one.place).exists():
            yield Ailment(
                f"The delivered file {one.name} is gone from {one.place.parent}.",
                "If it was moved on purpose nothing is wrong; else deliver it again from its page.",
                grave=False,
            )


def _orphans() -> Iterator[Ailment]:
    autodiscover_modules("tasks")
    # Some of what looks for leftovers also lets rows go whose time is over; whoever examines changes nothing.
    with transaction.atomic():
        count = sum(1 for find in (spooled, *SWEEPS) for _ in find())
        transaction.set_rollback(True)
    if count:
        yield Ailment(
            f"{count} files or folders belong to nothing any more.",
            "Nothing: the worker sweeps them within the hour.",
            grave=False,
        )


def _work() -> Iterator[Ailment]:
    late = Job.objects.filter(state=Job.State.RUNNING, started__lt=timezone.now() - OVERDUE)
    for job in late.select_related("production"):
        yield Ailment(
            f"Work on {job.production.name} ({job.kind}) has run since {job.started:%d %B %H:%M} UTC.",
            "See the Queue: cancel it there, and try it again.",
            grave=False,
        )
    waiting = Job.objects.filter(state__in=(Job.State.WAITING, Job.State.RUNNING)).count()
    works: dict[Lane, str] = {
        "quick": "reads files and bakes",
        "render": "renders deliveries",
        "aside": "makes the wall's pictures",
    }
    for lane, words in works.items():
        if not worker_runs(lane):
            yield Ailment(
                f"The worker that {words} does not run; {waiting} pieces of work wait or stand still.",
                "Start the server (`make run`, or your service): it starts all workers.",
                grave=waiting > 0,
            )


def _disk() -> Iterator[Ailment]:
    reserve = settings.DISK_RESERVE
    for name, place in (("data", FilePath(settings.DATA)), ("deliveries", FilePath(settings.DELIVERIES))):
        if not place.exists():
            continue
        free = shutil.disk_usage(place).free
        if free < SCARCE * reserve:
            yield Ailment(
                f"The disk of the {name} folder has {free / 2**30:.1f} GiB left; uploads stop at "
                f"{reserve / 2**30:.1f}.",
                "Make room, or move the folder to a larger disk while the server is stopped.",
                grave=free < reserve,
            )


def _shots(*, hashes: bool) -> Iterator[Ailment]:
    """Footage that is not where it was, or is not what it was."""
    for shot in Shot.objects.select_related("production").order_by("pk").iterator():
        where = f"{shot.name} of {shot.production.name}"
        places = [FilePath(settings.MEDIA_FOLDER) / one for one in shot.members] or [shot.disk_path]
        gone = [place for place in places if not place.exists()]
        if gone:
            more = f", and {len(gone) - 1} more" if gone[1:] else ""
            yield Ailment(
                f"{where}: {gone[0].name} is not at {gone[0].parent}{more}.",
                "Mount or copy it back to that place under the media folder."
                if shot.registered
                else "Restore it from the last backup.",
            )
        elif hashes and digest_of(places)[0] != shot.sha256:
            yield Ailment(
                f"{where}: {places[0].name} is not what was brought in; its SHA-256 differs.",
                "Put the file back as it was, or bring the new one in as a shot of its own.",
            )


LOOKS: tuple[Callable[[], Iterator[Ailment]], ...] = (_database, _migrations, _disk, _work, _made, _orphans)
