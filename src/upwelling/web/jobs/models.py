"""Job: one piece of background work, as people see it."""

from __future__ import annotations

from django.db import models
from django.utils import timezone

from upwelling.web.common.models import Authored


class Underway(Authored):
    """What every piece of work in the background has: how far it is, what is said of it, and who began it when."""

    progress = models.FloatField(default=0.0)
    message = models.CharField(max_length=300, blank=True)

    class Meta:
        abstract = True


class Task(models.Model):
    """One piece of work that waits or is under way: the queue. ``deaths``: processes that died of it.

    ``stop``: somebody wants it ended.
    """

    kind = models.CharField(max_length=40)
    key = models.BigIntegerField()
    running = models.BooleanField(default=False)
    stop = models.BooleanField(default=False)
    rank = models.FloatField(default=0.0)
    """Lower ones are done first; new ones come last."""
    starts = models.PositiveIntegerField(default=0)
    deaths = models.PositiveIntegerField(default=0)
    not_before = models.DateTimeField(default=timezone.now)
    job = models.ForeignKey("Job", null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        constraints = (models.UniqueConstraint(fields=("kind", "key"), name="one_task_an_owner"),)

    def __str__(self) -> str:
        return f"{self.kind} {self.key}"


class Job(Underway):
    """Background work: what it is, how far it is, and whether someone wants it stopped."""

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting"
        RUNNING = "running", "Running"
        PAUSED = "paused", "Paused"
        DONE = "done", "Done"
        FAILED = "failed", "Failed"
        CANCELLED = "cancelled", "Cancelled"

    kind = models.CharField(max_length=40)
    state = models.CharField(max_length=12, choices=State, default=State.WAITING)
    cancel_requested = models.BooleanField(default=False)
    pause_requested = models.BooleanField(default=False)
    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="jobs")
    started = models.DateTimeField(null=True)
    finished = models.DateTimeField(null=True)

    class Meta:
        ordering = ("-created",)

    def __str__(self) -> str:
        return f"{self.kind} {self.pk}: {self.state}"

    @property
    def is_over(self) -> bool:
        return self.state in (self.State.DONE, self.State.FAILED, self.State.CANCELLED)

    def as_json(self) -> dict[str, object]:
        """What a page needs to draw it; the remaining time is a straight-line guess once a tenth is done."""
        remaining = None
        if self.state == self.State.RUNNING and self.started and self.progress > 0.1:
            spent = (timezone.now() - self.started).total_seconds()
            remaining = round(spent * (1 - self.progress) / self.progress)
        return {
            "id": self.pk,
            "kind": self.kind,
            "state": self.state,
            "progress": round(self.progress, 3),
            "message": self.message,
            "over": self.is_over,
            "remaining_seconds": remaining,
        }
