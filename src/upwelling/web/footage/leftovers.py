"""Files of shots that are gone, and uploads that never became one."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path as FilePath

from django.conf import settings

from upwelling.web.footage.models import Arrival, Shot
from upwelling.web.jobs.sweeping import sweeps, unowned


@sweeps
def uploads() -> Iterable[FilePath]:
    """Handed in, and no arrival waits for it."""
    place = FilePath(settings.FILES) / "incoming"
    waiting = {one.disk_path for one in Arrival.objects.filter(registered=False)}
    return [one for one in place.resolve().iterdir() if one not in waiting] if place.is_dir() else []


@sweeps
def footage() -> Iterable[FilePath]:
    """Uploaded files whose shots are removed in every production."""
    return unowned("footage", set(Shot.every.filter(registered=False).values_list("file", flat=True)), depth=2)


@sweeps
def pictures() -> Iterable[FilePath]:
    """Thumbnails and working frames of content that no shot has."""
    known = {digest[:24] for digest in Shot.every.values_list("sha256", flat=True)}
    for folder in ("thumbnails", "working"):
        for place in unowned(folder, set(), depth=2):
            if place.name[:24] not in known:
                yield place
