"""Deliveries that were made from the very settings of a bake."""

from __future__ import annotations

from collections.abc import Iterable

from upwelling.web.bakes.models import Bake
from upwelling.web.deliveries.models import Delivery


def deliveries_from(bake: Bake) -> Iterable[str]:
    """The names of the production's deliveries of whose pieces one has the path that was baked."""
    made = Delivery.objects.filter(production=bake.production).exclude(verdict="").values_list("name", "recipes")
    return [name for name, recipes in made if bake.fingerprint in recipes]
