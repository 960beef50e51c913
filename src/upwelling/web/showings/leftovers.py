"""Pictures of showings that are gone."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path as FilePath

from upwelling.web.jobs.sweeping import sweeps, unowned
from upwelling.web.showings.models import FOLDER, Showing


@sweeps
def shown_pictures() -> Iterable[FilePath]:
    """Folders of showings that are not there any more."""
    return unowned(FOLDER, {f"{FOLDER}/{key}" for key in Showing.objects.values_list("pk", flat=True)})
