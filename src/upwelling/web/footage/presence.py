"""Who has a shot open: said to the others on it, and forgotten soon after the page is left."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.conf import settings
from django.db import models
from django.utils import timezone

FORGOTTEN = timedelta(seconds=75)
"""After this long without word from a page, its person counts as gone; pages say every half minute that they are
there.
"""


class Presence(models.Model):
    """When someone's page was last heard of on a shot."""

    shot = models.ForeignKey("footage.Shot", on_delete=models.CASCADE, related_name="+")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    seen = models.DateTimeField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=("shot", "user"), name="one_presence_a_shot"),)

    def __str__(self) -> str:
        return f"{self.user} on shot {self.shot_id}"


def note_presence(shot: Any, user: Any) -> list[str]:
    """Notes that someone is on a shot, and gives the names of the others who are."""
    now = timezone.now()
    Presence.objects.filter(seen__lt=now - FORGOTTEN).delete()
    Presence.objects.update_or_create(shot=shot, user=user, defaults={"seen": now})
    others = Presence.objects.filter(shot=shot).exclude(user=user).order_by("user__username")
    return list(others.values_list("user__username", flat=True))
