"""What nobody owns any more goes, when it is old enough that nobody can be about to own it."""

from __future__ import annotations

import logging
import shutil
import time
from collections.abc import Callable, Iterable
from pathlib import Path as FilePath

from django.conf import settings

logger = logging.getLogger(__name__)
YOUNGEST = 3600
"""Seconds that anything is left alone."""
SWEEPS: list[Callable[[], Iterable[FilePath]]] = []
"""Each gives what of its own has no owner."""


def sweeps(function: Callable[[], Iterable[FilePath]]) -> Callable[[], Iterable[FilePath]]:
    """Registers what finds leftovers of one kind; ``tasks.py`` of each application imports it."""
    SWEEPS.append(function)
    return function


def sweep() -> int:
    """Removes leftovers; gives how many."""
    gone = 0
    for leftovers in (spooled, *SWEEPS):
        for place in leftovers():
            try:
                if time.time() - place.lstat().st_mtime < YOUNGEST:
                    continue
                shutil.rmtree(place) if place.is_dir() else place.unlink()
                gone += 1
            except OSError as error:
                logger.warning("%s could not be swept: %s", place.name, error)
    if gone:
        logger.info("%d leftovers are swept", gone)
    return gone


def spooled() -> Iterable[FilePath]:
    """Bodies of requests that were cut off."""
    place = FilePath(settings.DATA) / "spool"
    return list(place.iterdir()) if place.is_dir() else []


def unowned(folder: str, owned: set[str], depth: int = 1) -> Iterable[FilePath]:
    """What lies so many levels under a folder of files and is not named by ``owned``, relative to all files."""
    root = FilePath(settings.FILES)
    for place in (root / folder).glob("/".join("*" * depth)):
        if str(place.relative_to(root)) not in owned:
            yield place
