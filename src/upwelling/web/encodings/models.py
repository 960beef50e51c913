"""OwnEncoding: an encoding that a production's technician defined."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.utils import timezone

from upwelling.core.encodings.custom import CustomEncoding
from upwelling.core.stored import read_stored


class OwnEncoding(models.Model):
    """A named definition; ``definition`` is the JSON of a CustomEncoding, ``report`` what its round trip gave on saving."""

    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="own_encodings")
    name = models.CharField(max_length=60)
    definition = models.JSONField()
    report = models.CharField(max_length=300)
    created = models.DateTimeField(default=timezone.now)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ("name",)
        constraints = (models.UniqueConstraint(fields=("production", "name"), name="one_definition_a_name"),)

    def __str__(self) -> str:
        return self.name

    @property
    def custom(self) -> CustomEncoding:
        return read_stored("own encoding", self.name, CustomEncoding, self.definition)
