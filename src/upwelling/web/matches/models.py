"""A run of matches over many shots, and what it proposes for each."""

from __future__ import annotations

from django.db import models

from upwelling.core.match import METHODS
from upwelling.core.match.outcome import FIRST_STEM, STEM
from upwelling.web.common.models import Authored
from upwelling.web.footage.models import SharedChange, Shot
from upwelling.web.footage.shot_settings import ShotSettings, stored_settings
from upwelling.web.jobs.models import Job
from upwelling.web.productions.models import Production


class MatchRun(Authored):
    """Shots matched by one method to one reference, or each to the shot of its group that stands nearest."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="match_runs")
    method = models.CharField(max_length=20)
    reference = models.JSONField(default=dict)
    """``kind`` (shot, shelf, neighbour, itself, or each), ``pk`` and, for a shot, ``frame``; of each, ``of``: by shot
    its frame, the other shot, and that one's frame.
    """
    reference_name = models.CharField(max_length=120, blank=True)
    set_aside = models.BooleanField(default=False)
    """Whether what the shots have already is switched off where a proposal is accepted."""
    job = models.ForeignKey(Job, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return self.title

    @property
    def by_itself(self) -> bool:
        """Whether each shot is judged by itself, and not against another."""
        return bool(self.reference.get("kind") == "itself")

    @property
    def title(self) -> str:
        if self.by_itself:
            return "First pass, each shot by itself"
        return f"{METHODS.get(self.method, self.method).split(':')[0]}, to {self.reference_name}"

    @property
    def stem(self) -> str:
        """The id of the group that its steps are put into."""
        return FIRST_STEM if self.by_itself else STEM

    def label(self, reference: str) -> str:
        """What the change of a shot is called in its history."""
        return "first pass" if self.by_itself else f"match to {reference}"


class MatchProposal(models.Model):
    """What a run proposes for one shot. ``settings`` are the shot's with the match in their trim, ``input_mark`` tells
    whether the light that was matched is still the shot's.
    """

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting"
        FOUND = "found", "Proposed"
        ALIKE = "alike", "Sits beside it already"
        REFUSED = "refused", "Not matched"
        ACCEPTED = "accepted", "Accepted"

    run = models.ForeignKey(MatchRun, on_delete=models.CASCADE, related_name="proposals")
    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="+")
    state = models.CharField(max_length=10, choices=State, default=State.WAITING)
    reference_name = models.CharField(max_length=120, blank=True)
    settings = models.JSONField(null=True)
    input_mark = models.CharField(max_length=64, blank=True)
    before = models.FloatField(null=True)
    after = models.FloatField(null=True)
    said = models.TextField(blank=True)
    remarks = models.JSONField(default=list)
    change = models.ForeignKey(SharedChange, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ("pk",)
        constraints = (models.UniqueConstraint(fields=("run", "shot"), name="one_proposal_a_shot"),)

    def __str__(self) -> str:
        return f"{self.shot}: {self.state}"

    @property
    def state_said(self) -> str:
        alike = self.run.by_itself and self.state == self.State.ALIKE
        return "Nothing proposed" if alike else str(self.get_state_display())

    @property
    def proposed(self) -> ShotSettings:
        return stored_settings(self.settings)

    @property
    def may_be_accepted(self) -> bool:
        return self.state == self.State.FOUND or (self.state == self.State.ACCEPTED and self.taken_back)

    @property
    def taken_back(self) -> bool:
        return self.change is None or self.change.undone
