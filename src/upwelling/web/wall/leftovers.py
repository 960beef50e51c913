"""Tiles, and what frames are apart, that nobody has wanted made for long: each is made again when it is looked at."""

from __future__ import annotations

import datetime
import time
from collections.abc import Iterable
from pathlib import Path as FilePath

from django.conf import settings
from django.utils import timezone

from upwelling.web.jobs.sweeping import sweeps
from upwelling.web.wall.models import Relation

DAYS = 30


@sweeps
def old_tiles() -> Iterable[FilePath]:
    """The files of tiles made so long ago, what says that they are made first."""
    Relation.objects.filter(created__lt=timezone.now() - datetime.timedelta(days=DAYS)).delete()
    for figures in (FilePath(settings.FILES) / "thumbnails").glob("*/*-wall-*-figures.json"):
        if time.time() - figures.stat().st_mtime > DAYS * 86400:
            stem = figures.name.removesuffix("figures.json")
            yield from (figures, *(figures.with_name(f"{stem}{part}.jpg") for part in ("picture", "parade")))
