"""What many rows have."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.utils import timezone


class Authored(models.Model):
    """Who made a row, and when."""

    created = models.DateTimeField(default=timezone.now)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        abstract = True
