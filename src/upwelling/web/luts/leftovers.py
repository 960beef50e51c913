"""Table files that no production has any more."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path as FilePath

from upwelling.web.jobs.services import UNDERWAY
from upwelling.web.jobs.sweeping import sweeps, unowned
from upwelling.web.luts.models import ImportedLut, Recovery


@sweeps
def tables() -> Iterable[FilePath]:
    """Brought in, and removed in every production."""
    return unowned("luts", set(ImportedLut.objects.values_list("file", flat=True)), depth=2)


@sweeps
def stills_of_recoveries() -> Iterable[FilePath]:
    """Handed in to recover a table, by work that is over."""
    waiting = {str(pk) for pk in Recovery.objects.filter(job__state__in=UNDERWAY).values_list("pk", flat=True)}
    return [one for one in unowned("recoveries", set()) if one.name.partition("-")[0] not in waiting]
