"""Cards: folders that are read whole, with what was found on them."""

from __future__ import annotations

from pathlib import Path as FilePath

from django.conf import settings as conf
from django.db import models

from upwelling.web.common.models import Authored
from upwelling.web.productions.models import Production


class Card(Authored):
    """A folder under the media folder, read with all that lies in it; its arrivals are the report."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="cards")
    name = models.CharField(max_length=120)
    folder = models.CharField(max_length=1024)

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return self.name

    @property
    def place(self) -> FilePath:
        return FilePath(conf.MEDIA_FOLDER) / self.folder

    @property
    def is_there(self) -> bool:
        """Whether the card can be read now."""
        return self.place.is_dir()
