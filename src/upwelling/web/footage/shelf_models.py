"""References on a production's shelf: pictures to match to and to compare with."""

from __future__ import annotations

from django.db import models

from upwelling.web.common.models import Authored
from upwelling.web.footage.shot_settings import ShotSettings, stored_settings
from upwelling.web.productions.models import Production


class ShelfReference(Authored):
    """One frame of a shot under settings of its own, as a Mark keeps them; the shot may be another production's.

    Whoever puts one there may look at the shot; from then on every member of this production sees this one frame of it.
    """

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="references")
    shot = models.ForeignKey("footage.Shot", on_delete=models.CASCADE, related_name="+")
    uses_shots = ("reference on a shelf", "references on shelves")
    name = models.CharField(max_length=60)
    frame = models.PositiveIntegerField()
    settings = models.JSONField()

    class Meta:
        ordering = ("name", "pk")

    def __str__(self) -> str:
        return self.name

    @property
    def shot_settings(self) -> ShotSettings:
        return stored_settings(self.settings)
