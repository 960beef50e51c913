"""Recovering the table someone used, in the background: two stills in, a table in the list out."""

from __future__ import annotations

import base64
from pathlib import Path as FilePath
from typing import Any

import numpy as np
from django.conf import settings
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from upwelling.core.errors import UnreadableFile
from upwelling.core.files import whole_file
from upwelling.core.media import read_still
from upwelling.core.recovery import Named, recover_named
from upwelling.core.tables.files import write_lut
from upwelling.web.common.requests import Refused
from upwelling.web.jobs.services import job_work, running
from upwelling.web.jobs.work import queue, waiting_job
from upwelling.web.luts.models import ImportedLut, Recovery
from upwelling.web.luts.services import bring_in_lut
from upwelling.web.productions.models import Production

LARGEST = 400 * 2**20
"""Bytes of one of the two stills."""
SIDES = ("before", "after")


@transaction.atomic
def start_recovery(production: Production, user: Any, name: str, stills: dict[str, UploadedFile]) -> Recovery:
    """Takes both stills over and begins; raises Refused."""
    missing = [side for side in SIDES if side not in stills]
    if missing:
        raise Refused("Choose two stills: the picture as it was, and the same picture after the conversion.")
    for still in stills.values():
        if (still.size or 0) > LARGEST:
            raise Refused(f"{still.name} is larger than {LARGEST // 2**20} MiB. A still of a few megapixels is enough.")
    name = " ".join(name.split())[:60] or f"Recovered from {stills['after'].name}"[:60]
    row = Recovery.objects.create(
        production=production,
        name=name,
        created_by=user,
        before_name=(stills["before"].name or "before")[-120:],
        after_name=(stills["after"].name or "after")[-120:],
        job=waiting_job("recover", production, user),
    )
    for side in SIDES:
        place = _place(row, side)
        place.parent.mkdir(parents=True, exist_ok=True)
        with whole_file(place) as temporary, temporary.open("wb") as out:
            for chunk in stills[side].chunks():
                out.write(chunk)
    queue("recover", row, row.job)
    return row


def _place(row: Recovery, side: str) -> FilePath:
    return FilePath(settings.FILES) / "recoveries" / f"{row.pk}-{side}"


@job_work("recover", Recovery)
def perform_recovery(key: int) -> None:
    """The work; the stills are let go when it is over, whatever came of it."""
    row = Recovery.objects.select_related("job", "production", "created_by").filter(pk=key).first()
    if row is None or row.job is None or row.job.is_over:
        return
    try:
        with running(row.job) as progress:
            progress(0.05, "Reading both stills")
            before, after = (_read(row, side) for side in SIDES)
            progress(0.2, "Recovering the table")
            made = recover_named(before, after)
            progress(0.95, "Keeping it")
            row.lut = _kept(row, made)
            row.save(update_fields=["lut"])
    finally:
        for side in SIDES:
            _place(row, side).unlink(missing_ok=True)


def _read(row: Recovery, side: str) -> Any:
    name = row.before_name if side == "before" else row.after_name
    try:
        return read_still(_place(row, side)).code
    except UnreadableFile as error:
        raise Refused(f"{name} {error.problem}") from None


def _kept(row: Recovery, made: Named) -> ImportedLut:
    """The table in the production's list, with its evidence and what of it was seen."""
    place = FilePath(settings.FILES) / "recoveries" / f"{row.pk}.cube"
    try:
        write_lut(made.lut, place)
        lut = bring_in_lut(row.production, row.created_by, f"{row.name.removesuffix('.cube')}.cube", place)
    finally:
        place.unlink(missing_ok=True)
    lut.recovered = {
        "said": [f"From {row.before_name} and {row.after_name}.", *made.said],
        "size": made.seen.shape[0],
        "seen": base64.b64encode(np.packbits(made.seen).tobytes()).decode(),
    }
    lut.save(update_fields=["recovered"])
    return lut


def seen_of(row: ImportedLut) -> Any:
    """Which nodes of a recovered table's cube were seen, bool (n, n, n) by red, green, blue; None for other tables."""
    if not row.recovered:
        return None
    n = int(row.recovered["size"])
    bits = np.frombuffer(base64.b64decode(row.recovered["seen"]), np.uint8)
    return np.unpackbits(bits, count=n**3).reshape(n, n, n).astype(bool)
