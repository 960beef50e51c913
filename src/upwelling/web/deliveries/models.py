"""A delivery: one file, or one run of stills, with what it was made from and what its proof says; and own presets."""

from __future__ import annotations

from functools import cached_property
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings
from django.db import models
from django.http import QueryDict

from upwelling.core.delivery.form import Form
from upwelling.core.delivery.order import Order
from upwelling.core.documents import read_stored, sealed
from upwelling.web.common.models import Authored
from upwelling.web.cuts.models import Cut
from upwelling.web.footage.models import Shot
from upwelling.web.productions.models import Production


class OwnForm(Authored):
    """A preset of a production's own."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="own_forms")
    name = models.CharField(max_length=80)
    stored = models.JSONField()

    class Meta:
        ordering = ("name",)
        constraints = (models.UniqueConstraint(fields=("production", "name"), name="one_form_a_name"),)

    def __str__(self) -> str:
        return self.name

    @property
    def form(self) -> Form:
        return read_stored("delivery form", self.name, Form, self.stored)

    @staticmethod
    def seal(form: Form) -> Any:
        """A form as it is stored."""
        return sealed("delivery form", form.model_dump(mode="json"))


class LastSetup(Authored):
    """The form as a person last sent it, as an address has it: it is offered again."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="+")
    sent = models.TextField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=("production", "created_by"), name="one_setup_a_person"),)

    def __str__(self) -> str:
        given = self.given
        parts = (given.get("preset"), given.get("output"), given.get("pattern"), given.get("folder"))
        return ", ".join(part for part in parts if part)

    @property
    def given(self) -> QueryDict:
        return QueryDict(self.sent)


class Delivery(Authored):
    """``order_json`` is the whole order, in its own version; ``recipes`` are its pieces' fingerprints."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="delivered")
    name = models.CharField(max_length=255)
    folder = models.CharField(max_length=200, blank=True)
    what = models.CharField(max_length=200)
    form_title = models.CharField(max_length=120)
    output = models.CharField(max_length=120)
    frames = models.PositiveIntegerField()
    order_json = models.TextField()
    fingerprint = models.CharField(max_length=64, db_index=True)
    recipes = models.JSONField(default=list)
    clash = models.CharField(max_length=10, default="refuse")
    shot = models.ForeignKey(Shot, null=True, on_delete=models.SET_NULL, related_name="+")
    uses_shots = ("delivery", "deliveries")
    cut = models.ForeignKey(Cut, null=True, on_delete=models.SET_NULL, related_name="delivered")
    event = models.PositiveIntegerField(null=True)
    job = models.ForeignKey("jobs.Job", null=True, on_delete=models.SET_NULL, related_name="+")
    proof = models.JSONField(null=True)
    verdict = models.CharField(max_length=20, blank=True)
    sha256 = models.CharField(max_length=64, blank=True)
    size_bytes = models.BigIntegerField(default=0)
    files = models.PositiveIntegerField(default=0)
    seconds = models.FloatField(default=0.0)

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return self.name

    @cached_property
    def order(self) -> Order:
        """What it is made from; raises RecipeError or BadValue."""
        return Order.from_json(self.order_json)

    @property
    def at(self) -> FilePath:
        """The folder it goes into."""
        return folder_of(self.production, self.folder)

    @property
    def place(self) -> FilePath:
        """The file, or the name that its stills are numbered by."""
        return self.at / self.name


class Returned(Authored):
    """A file that came back, and what was found of it; the file itself is not kept. ``found`` is a CameBack."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="returned")
    name = models.CharField(max_length=255)
    delivery = models.ForeignKey(Delivery, null=True, on_delete=models.SET_NULL, related_name="returned")
    job = models.ForeignKey("jobs.Job", null=True, on_delete=models.SET_NULL, related_name="+")
    found = models.JSONField(null=True)

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return self.name


def folder_of(production: Production, inside: str = "") -> FilePath:
    """Where a production's deliveries lie."""
    return FilePath(settings.DELIVERIES) / production.slug / inside
