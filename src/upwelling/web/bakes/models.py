"""Bake: a table made from a shot's path, and its certificate; receivers of a production's own; packages."""

from __future__ import annotations

from functools import cached_property
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings
from django.db import models
from pydantic import ValidationError

from upwelling.core.bake import BakeOrder, Receiver
from upwelling.core.bake.order import order_from_recipe
from upwelling.core.documents import opened, read_stored
from upwelling.core.errors import UpwellingError
from upwelling.core.path import Path
from upwelling.core.proof import Certificate
from upwelling.core.proof.certificate import FAILS
from upwelling.web.bakes.kept_texts import brought_back, put_away
from upwelling.web.bakes.variants import variant_path
from upwelling.web.common.models import Authored
from upwelling.web.footage.models import Shot
from upwelling.web.jobs.models import Job
from upwelling.web.productions.models import Production


class OwnReceiver(Authored):
    """A receiver that a production's technician defined; ``definition`` is the JSON of a Receiver."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="receivers")
    name = models.CharField(max_length=60)
    definition = models.JSONField()

    class Meta:
        ordering = ("name",)
        constraints = (models.UniqueConstraint(fields=("production", "name"), name="one_receiver_a_name"),)

    def __str__(self) -> str:
        return self.name

    @property
    def receiver(self) -> Receiver:
        return read_stored("receiver", self.name, Receiver, self.definition)


class Bake(Authored):
    """A bake keeps its whole order, the exact path included, so that it stays true when the shot moves on.

    ``variant`` says how its path differs from the shot's: “trim”: “without”, “look”: a Look's number. ``order`` is
    empty for bakes of the first version, whose certificates are kept and downloaded but no longer drawn.
    """

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="bakes")
    shot = models.ForeignKey(Shot, null=True, on_delete=models.SET_NULL, related_name="bakes")
    uses_shots = ("bake", "bakes")
    shot_name = models.CharField(max_length=120)
    job = models.OneToOneField(Job, null=True, on_delete=models.SET_NULL, related_name="bake")
    recipe = models.JSONField(default=dict)
    order = models.JSONField(default=dict)
    variant = models.JSONField(default=dict)
    fingerprint = models.CharField(max_length=64)
    size = models.PositiveIntegerField()
    file = models.CharField(max_length=255, blank=True)
    file_name = models.CharField(max_length=200)
    frames_file = models.CharField(max_length=255, blank=True)
    certificate_json = models.JSONField(null=True)
    verdict = models.CharField(max_length=40, blank=True)
    line = models.TextField(blank=True)
    without_shot_since = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ("-created", "-pk")

    def __str__(self) -> str:
        return self.file_name

    @property
    def disk_path(self) -> FilePath:
        return FilePath(settings.FILES) / self.file

    @property
    def frames_path(self) -> FilePath:
        return FilePath(settings.FILES) / self.frames_file

    def stored(self, field: str) -> Any:
        """The JSON of a field with the tables that are kept apart."""
        return brought_back(getattr(self, field))

    def save(self, *args: Any, **kwargs: Any) -> None:
        """Tables in its JSON are kept once for all bakes."""
        for field in ("order", "recipe", "certificate_json"):
            setattr(self, field, put_away(getattr(self, field)))
        super().save(*args, **kwargs)

    @cached_property
    def _order(self) -> tuple[BakeOrder | None, str]:
        try:
            return (order_from_recipe(opened("bake order", self.stored("order"))) if self.order else None), ""
        except UpwellingError as error:
            return None, str(error)

    @property
    def bake_order(self) -> BakeOrder | None:
        """The order, or None for a bake of the first version and for one whose order is no longer possible
        (``problem``).
        """
        return self._order[0]

    @property
    def problem(self) -> str:
        """Why the stored order cannot be read; the file and its certificate stay what they are."""
        return self._order[1]

    @property
    def path(self) -> Path:
        return self.bake_order.path if self.bake_order else Path.checked(self.stored("recipe"))

    @cached_property
    def certificate(self) -> Certificate | None:
        body = self.stored("certificate_json")
        try:
            return Certificate.model_validate(body) if body and body.get("upwelling_certificate") == 2 else None
        except ValidationError:
            return None  # it can still be downloaded as it is

    @property
    def summary(self) -> str:
        """What was baked, in one line."""
        order, report = self.bake_order, self.certificate
        if order is None:
            return (
                f"▲ its order cannot be read: {self.problem}"
                if self.problem
                else f"{self.size}³ grid, by an earlier version"
            )
        return line_of(order, report)

    @property
    def told(self) -> str:
        """``said`` as it was written down with the certificate, for lists of many."""
        return self.line or self.summary

    @property
    def is_of_earlier_numbers(self) -> bool:
        """Whether the same settings give other numbers now than when it was made."""
        order = self.bake_order
        return order is not None and "rendering" in order.section.stages and not order.path.is_marked(self.fingerprint)

    @property
    def is_stale(self) -> bool:
        """True when what the table holds of the shot's path is no longer what it was baked from, or its numbers are no
        longer computed so.
        """
        order = self.bake_order
        if self.shot is None or order is None or self.is_of_earlier_numbers:
            return True
        now = order.model_copy(update={"path": variant_path(self.shot, self.variant, order.path.display.output)})
        return now.section_fingerprint != order.section_fingerprint


def line_of(order: BakeOrder, report: Certificate | None) -> str:
    """What an order's table is, in one line."""
    return f"{order.section.title()} · {report.summary if report else order.summary()} · for {order.receiver.name}"


class Package(Authored):
    """A set of bakes for one output as a zip: of cameras, or of a list of shots as it was ``ordered`` (a ListOrder).
    ``contents`` says what became of each table.
    """

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="packages")
    job = models.OneToOneField(Job, null=True, on_delete=models.SET_NULL, related_name="package")
    output = models.CharField(max_length=60)
    wishes = models.JSONField(default=list)
    ordered = models.JSONField(default=dict)
    file = models.CharField(max_length=255, blank=True)
    file_name = models.CharField(max_length=200)
    sha256 = models.CharField(max_length=64, blank=True)
    contents = models.JSONField(default=list)

    class Meta:
        ordering = ("-created", "-pk")

    def __str__(self) -> str:
        return self.file_name

    @property
    def made(self) -> int:
        """How many tables are in it."""
        return sum(bool(one.get("verdict")) for one in self.contents)

    @property
    def holding(self) -> int:
        """How many of them hold, at least within the tested pictures."""
        return sum(one.get("verdict", "") not in ("", FAILS) for one in self.contents)

    @property
    def disk_path(self) -> FilePath:
        return FilePath(settings.FILES) / self.file
