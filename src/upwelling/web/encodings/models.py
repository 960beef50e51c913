"""OwnEncoding: an encoding that a production's technician defined."""

from __future__ import annotations

from django.db import models

from upwelling.core.documents import read_stored
from upwelling.core.encodings.custom import CustomEncoding
from upwelling.web.common.models import Authored


class OwnEncoding(Authored):
    """A named definition; ``definition`` is the JSON of a CustomEncoding, ``report`` what its round trip gave on
    saving.
    """

    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="own_encodings")
    name = models.CharField(max_length=60)
    definition = models.JSONField()
    report = models.CharField(max_length=300)

    class Meta:
        ordering = ("name",)
        constraints = (models.UniqueConstraint(fields=("production", "name"), name="one_definition_a_name"),)

    def __str__(self) -> str:
        return self.name

    @property
    def custom(self) -> CustomEncoding:
        return read_stored("own encoding", self.name, CustomEncoding, self.definition)
