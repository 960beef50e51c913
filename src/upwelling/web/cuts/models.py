"""An editor's cut as a thing of the production, and its events."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import fields

from django.db import models

from upwelling.core.cut import Event
from upwelling.core.lut.process import CdlNode
from upwelling.web.common.models import Authored
from upwelling.web.footage.models import Shot
from upwelling.web.productions.models import Production

SHOT_REMOVED = "its shot was removed from the production"


class Cut(Authored):
    """One list as it was brought in; a newer version is a cut of its own."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="cuts")
    name = models.CharField(max_length=120)
    file_name = models.CharField(max_length=200)
    sha256 = models.CharField(max_length=64)
    rate = models.FloatField()
    drop = models.BooleanField(default=False)
    notes = models.JSONField(default=list)

    class Meta:
        ordering = ("-pk",)
        constraints = (models.UniqueConstraint(fields=("production", "sha256"), name="one_cut_a_content"),)

    def __str__(self) -> str:
        return self.name


class CutEvent(models.Model):
    """One event, and the shot and frame of its file that it begins at; ``by_hand`` ones stay as a person said."""

    cut = models.ForeignKey(Cut, on_delete=models.CASCADE, related_name="events")
    number = models.PositiveIntegerField()
    name = models.CharField(max_length=200, blank=True)
    reel = models.CharField(max_length=120, blank=True)
    file = models.CharField(max_length=200, blank=True)
    start = models.BigIntegerField()
    frames = models.PositiveIntegerField()
    record = models.BigIntegerField()
    record_frames = models.PositiveIntegerField()
    rate = models.FloatField()
    drop = models.BooleanField(default=False)
    speed = models.FloatField(default=1.0)
    transition = models.CharField(max_length=80, blank=True)
    cdl = models.JSONField(null=True)
    notes = models.JSONField(default=list)
    state = models.CharField(max_length=10)
    why = models.CharField(max_length=400, blank=True)
    shot = models.ForeignKey(Shot, null=True, on_delete=models.SET_NULL, related_name="+")
    first = models.PositiveIntegerField(null=True)
    by_hand = models.BooleanField(default=False)
    uses_shots = ("event of a cut", "events of cuts")

    class Meta:
        ordering = ("number",)

    def __str__(self) -> str:
        return f"{self.number} {self.name or self.reel}"

    @classmethod
    def shots_removed(cls, numbers: Sequence[int]) -> None:
        """Events of removed shots are found no longer; which they were of is kept, so that they can be had back."""
        cls.objects.filter(shot__in=numbers, state="found").update(state="missing", why=SHOT_REMOVED)

    @classmethod
    def shots_back(cls, numbers: Sequence[int]) -> None:
        """What ``shots_removed`` did, undone."""
        cls.objects.filter(shot__in=numbers, state="missing", why=SHOT_REMOVED).update(state="found", why="")

    @property
    def event(self) -> Event:
        """As core knows it."""
        held = {field.name: getattr(self, field.name) for field in fields(Event)}
        return Event(**held | {"cdl": self.correction, "notes": tuple(self.notes)})

    @property
    def correction(self) -> CdlNode | None:
        """The ASC CDL that the list gives it."""
        if not self.cdl:
            return None
        slope, offset, power = (tuple(self.cdl[name]) for name in ("slope", "offset", "power"))
        return CdlNode(slope, offset, power, self.cdl["saturation"])
