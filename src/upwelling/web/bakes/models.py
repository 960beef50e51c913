"""Bake: a LUT made from a shot's path, and its certificate."""

from __future__ import annotations

from pathlib import Path as FilePath

from django.conf import settings
from django.db import models
from django.utils import timezone

from upwelling.core.bake import Certificate
from upwelling.core.path import Path
from upwelling.web.footage.models import Shot
from upwelling.web.jobs.models import Job
from upwelling.web.productions.models import Production


class Bake(models.Model):
    """A bake keeps the exact recipe it was made from, so that it stays true when the shot moves on."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="bakes")
    shot = models.ForeignKey(Shot, null=True, on_delete=models.SET_NULL, related_name="bakes")
    shot_name = models.CharField(max_length=120)
    job = models.OneToOneField(Job, null=True, on_delete=models.SET_NULL, related_name="bake")
    recipe = models.JSONField()
    fingerprint = models.CharField(max_length=64)
    size = models.PositiveSmallIntegerField()
    file = models.CharField(max_length=255, blank=True)
    file_name = models.CharField(max_length=200)
    certificate_json = models.JSONField(null=True)
    verdict = models.CharField(max_length=20, blank=True)
    created = models.DateTimeField(default=timezone.now)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ("-created", "-pk")

    def __str__(self) -> str:
        return self.file_name

    @property
    def disk_path(self) -> FilePath:
        return FilePath(settings.FILES) / self.file

    @property
    def path(self) -> Path:
        return Path.checked(self.recipe)

    @property
    def certificate(self) -> Certificate | None:
        return Certificate.model_validate(self.certificate_json) if self.certificate_json else None

    @property
    def is_stale(self) -> bool:
        """True when the shot's path is no longer the one this was baked from (range and depth chosen for the bake aside)."""
        if self.shot is None:
            return True
        mine, now = self.path, self.shot.path()
        display = mine.display.model_copy(update={"output": now.display.output, "on": now.display.on})
        return now.model_copy(update={"camera": mine.camera, "display": display}).fingerprint != mine.fingerprint
