"""Bakes through which a shot can be delivered."""

from __future__ import annotations

from upwelling.core.delivery.through import Through, check_stands_for, through_of
from upwelling.core.errors import UpwellingError
from upwelling.core.proof.certificate import FAILS
from upwelling.web.bakes.variants import variant_path
from upwelling.web.footage.models import Shot

MOST_TRIED = 12
"""Bakes of a shot, the newest, that are looked at."""


def proved_table(shot: Shot, output: str) -> Through | None:
    """The newest table that is the shot's whole path for an output and holds; None where there is none."""
    rows = shot.bakes.exclude(file="").exclude(verdict__in=("", FAILS)).order_by("-pk")[:MOST_TRIED]
    path = variant_path(shot, {}, output)
    for row in rows:
        order, certificate = row.bake_order, row.certificate
        if order is None or certificate is None or row.is_of_earlier_numbers:
            continue
        try:
            check_stands_for(order, path)
            return through_of(certificate, row.disk_path)
        except (UpwellingError, OSError):
            continue
    return None
