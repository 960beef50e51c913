"""A camera that is measured: which pictures tell of it, and what was found."""

from __future__ import annotations

from functools import cached_property

from django.db import models

from upwelling.core.characterise import CameraReport
from upwelling.core.documents import read_stored
from upwelling.web.common.models import Authored
from upwelling.web.productions.models import Production


class CameraMeasurement(Authored):
    """Its ``pictures``, in order: ``shot``, ``target``, ``stops`` as typed, ``light`` (empty: that of all)."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="measurements")
    name = models.CharField(max_length=60)
    light = models.CharField(max_length=20, blank=True)
    reflectance = models.FloatField(default=0.18)
    pictures = models.JSONField(default=list)
    sensitivities = models.TextField(blank=True)
    report_json = models.JSONField(null=True, blank=True)
    measured = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return self.name

    @cached_property
    def report(self) -> CameraReport | None:
        """What was found; raises RecipeError where a later version stored it."""
        if self.report_json is None:
            return None
        return read_stored("camera measurement", self.name, CameraReport, self.report_json)
