"""What pages of the wall wait for, and how two frames are apart under their settings."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.utils import timezone

from upwelling.core.wall.apart import Apart
from upwelling.web.productions.models import Production


class Wanted(models.Model):
    """What somebody's page of the wall shows and waits for: its tiles, then how its frames are apart. ``problems`` are
    sentences by the key of what could not be made.
    """

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="+")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    asked = models.JSONField(default=dict)
    number = models.PositiveIntegerField(default=0)
    """Counts what was asked for: the worker sees by it that it is something else."""
    problems = models.JSONField(default=dict)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("production", "user"), name="one_wall_a_person"),)

    def __str__(self) -> str:
        return f"{self.user} in {self.production}"


class Relation(models.Model):
    """How two frames of a production are apart, under the settings that ``key`` stands for; or why that cannot be
    told.
    """

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="+")
    key = models.CharField(max_length=64)
    values = models.JSONField(null=True)
    why = models.CharField(max_length=300, blank=True)
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("production", "key"), name="one_relation_a_key"),)

    def __str__(self) -> str:
        return self.key[:12]

    @property
    def apart(self) -> Apart | None:
        return None if self.values is None else Apart(**self.values)
