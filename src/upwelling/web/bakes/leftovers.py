"""Files of bakes and packages that are gone, and bakes whose shot was removed long ago."""

from __future__ import annotations

import datetime
from collections.abc import Iterable
from pathlib import Path as FilePath

from django.conf import settings
from django.utils import timezone

from upwelling.web.bakes.models import Bake, Package
from upwelling.web.jobs.sweeping import sweeps, unowned


@sweeps
def tables() -> Iterable[FilePath]:
    """Folders of bakes and packages that are not there any more."""
    bakes_without_shots()
    yield from unowned("bakes", {f"bakes/{key}" for key in Bake.objects.values_list("pk", flat=True)})
    yield from unowned("packages", {f"packages/{key}" for key in Package.objects.values_list("pk", flat=True)})


def bakes_without_shots() -> int:
    """Bakes whose shot was removed are kept a while, for who delivered them, and then go."""
    now = timezone.now()
    Bake.objects.filter(shot=None, without_shot_since=None).update(without_shot_since=now)
    return Bake.objects.filter(
        shot=None, without_shot_since__lt=now - datetime.timedelta(days=settings.KEEP_DAYS)
    ).delete()[0]
