"""Table files that no production has any more."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path as FilePath

from upwelling.web.jobs.sweeping import sweeps, unowned
from upwelling.web.luts.models import ImportedLut


@sweeps
def tables() -> Iterable[FilePath]:
    """Brought in, and removed in every production."""
    return unowned("luts", set(ImportedLut.objects.values_list("file", flat=True)), depth=2)
