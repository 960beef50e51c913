"""Files that come back, held against the production's deliveries."""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import Any

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from upwelling.core.delivery.came_back import Given, came_back
from upwelling.core.errors import UpwellingError
from upwelling.core.files import whole_file
from upwelling.core.media.movie_write import KINDS
from upwelling.web.common.requests import Refused
from upwelling.web.deliveries.models import Delivery, Returned
from upwelling.web.jobs.services import job_work, running
from upwelling.web.jobs.work import queue, waiting_job
from upwelling.web.productions.models import Production

MOST_HELD = 200
"""Deliveries, the newest, that a file is held against."""


@transaction.atomic
def start_returned(production: Production, user: Any, uploaded: UploadedFile) -> Returned:
    """Keeps the file for as long as it is looked at, and queues the work; raises Refused for what is no movie."""
    name = (uploaded.name or "movie").rsplit("/", 1)[-1][-200:]
    if FilePath(name).suffix.lower() not in KINDS:
        raise Refused(f"{name} is no movie that deliveries are written as; use {', '.join(KINDS)}.")
    if not production.delivered.exclude(verdict="").exists():
        raise Refused("Nothing was delivered from this production yet, so there is nothing to hold it against.")
    row = Returned.objects.create(
        production=production, name=name, created_by=user, job=waiting_job("came back", production, user)
    )
    place = _place(row)
    place.parent.mkdir(parents=True, exist_ok=True)
    with whole_file(place) as temporary, temporary.open("wb") as out:
        for chunk in uploaded.chunks():
            out.write(chunk)
    queue("came back", row, row.job)
    return row


def _place(row: Returned) -> FilePath:
    return FilePath(settings.FILES) / "returned" / f"{row.pk}" / row.name


@job_work("came back", Returned, folder="returned")
def perform_returned(key: int) -> None:
    """The work; the file is let go when it is over, whatever came of it."""
    row = Returned.objects.select_related("job", "production").filter(pk=key).first()
    if row is None or row.job is None or row.job.is_over:
        return
    place = _place(row)
    try:
        with running(row.job) as progress:
            by_name: dict[str, tuple[Delivery, Given]] = {}
            for one in _given(row.production):
                by_name.setdefault(one[1].name, one)
            found = came_back(place, [given for _, given in by_name.values()], progress)
            row.delivery = by_name[found.of][0]
            row.found = found.as_json()
            row.save(update_fields=["delivery", "found"])
    finally:
        place.unlink(missing_ok=True)


def _given(production: Production) -> list[tuple[Delivery, Given]]:
    """The production's delivered movies, the newest first, as they can still be read."""
    made = []
    for row in production.delivered.exclude(verdict="").order_by("-pk")[:MOST_HELD]:
        row.production = production
        try:
            order = row.order
        except UpwellingError:
            continue
        if order.form.movie is not None:
            name = f"{row.folder}/{row.name}" if row.folder else row.name
            made.append((row, Given(name, order, row.place, row.sha256)))
    return made
