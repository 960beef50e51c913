"""Job: one piece of background work, as people see it."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.utils import timezone


class Job(models.Model):
    """Background work: what it is, how far it is, and whether someone wants it stopped."""

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting"
        RUNNING = "running", "Running"
        DONE = "done", "Done"
        FAILED = "failed", "Failed"
        CANCELLED = "cancelled", "Cancelled"

    kind = models.CharField(max_length=40)
    state = models.CharField(max_length=12, choices=State, default=State.WAITING)
    progress = models.FloatField(default=0.0)
    message = models.CharField(max_length=300, blank=True)
    cancel_requested = models.BooleanField(default=False)
    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="jobs")
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    created = models.DateTimeField(default=timezone.now)
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
        return {"id": self.pk, "kind": self.kind, "state": self.state, "progress": round(self.progress, 3),
                "message": self.message, "over": self.is_over, "remaining_seconds": remaining}
