"""A showing: what is in it, in which states, who opened it, and what they said."""

from __future__ import annotations

import secrets
from pathlib import Path as FilePath

from django.conf import settings
from django.core import signing
from django.db import models
from django.urls import reverse
from django.utils import timezone

from upwelling.core.delivery.order import Order
from upwelling.web.common.models import Authored
from upwelling.web.cuts.models import Cut
from upwelling.web.deliveries.models import Delivery
from upwelling.web.footage.models import Shot
from upwelling.web.productions.models import Production
from upwelling.web.productions.remarks import Remark

FOLDER = "showings"
"""Under all files: a folder a showing."""
SALT = "upwelling.showing"


def new_key() -> str:
    """What a link stands for; nobody guesses it."""
    return secrets.token_urlsafe(24)


class Showing(Authored):
    """Frames or a cut for one ``output``, fixed at the fingerprints they had; ``sdr_output`` stands for an HDR one
    where a screen has none. ``phrase`` is hashed; empty: none is asked. ``after`` is the showing that this one follows.
    """

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="showings")
    name = models.CharField(max_length=120)
    note = models.CharField(max_length=500, blank=True)
    output = models.CharField(max_length=80)
    sdr_output = models.CharField(max_length=80, blank=True)
    cut = models.ForeignKey(Cut, null=True, on_delete=models.SET_NULL, related_name="showings")
    after = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="followed_by")
    key = models.CharField(max_length=64, unique=True, default=new_key)
    ends = models.DateTimeField()
    withdrawn = models.DateTimeField(null=True)
    phrase = models.CharField(max_length=128, blank=True)
    wrong = models.PositiveIntegerField(default=0)
    closed_until = models.DateTimeField(null=True)
    """After too many wrong pass phrases nobody comes in for a while."""
    remarks_allowed = models.BooleanField(default=True)
    downloads_allowed = models.BooleanField(default=False)
    job = models.ForeignKey("jobs.Job", null=True, on_delete=models.SET_NULL, related_name="+")
    left_out = models.JSONField(default=list)
    """Sentences about what was asked for and could not be had."""

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return self.name

    @property
    def token(self) -> str:
        """What stands in its link: the key, signed."""
        return signing.Signer(salt=SALT).sign(self.key)

    @property
    def address(self) -> str:
        return reverse("showing", args=[self.token])

    @property
    def is_over(self) -> bool:
        return self.withdrawn is not None or self.ends <= timezone.now()

    @property
    def folder(self) -> FilePath:
        return FilePath(settings.FILES) / FOLDER / str(self.pk)


class ShownItem(models.Model):
    """One frame of a shot, or one event of a cut with the frame that stands for it.

    ``movie`` shows it from its frame ``begin`` on, so many ``frames``: the file's from ``first`` on, at a ``speed``.
    ``earlier`` is what the showing before had of the same, ``changes`` what was changed since, in words.
    """

    showing = models.ForeignKey(Showing, on_delete=models.CASCADE, related_name="items")
    position = models.PositiveIntegerField()
    name = models.CharField(max_length=255)
    shot = models.ForeignKey(Shot, null=True, on_delete=models.SET_NULL, related_name="+")
    uses_shots = ("showing", "showings")
    event = models.PositiveIntegerField(null=True)
    frame = models.PositiveIntegerField()
    frame_said = models.CharField(max_length=120)
    movie = models.ForeignKey(Delivery, null=True, on_delete=models.SET_NULL, related_name="+")
    begin = models.PositiveIntegerField(default=0)
    frames = models.PositiveIntegerField(default=1)
    first = models.PositiveIntegerField(default=0)
    speed = models.FloatField(default=1.0)
    rate = models.FloatField(default=24.0)
    earlier = models.ForeignKey("ShownState", null=True, on_delete=models.SET_NULL, related_name="+")
    changes = models.JSONField(default=list)
    note = models.CharField(max_length=200, blank=True)
    """What whoever looks at it has to know."""

    class Meta:
        ordering = ("position",)

    def __str__(self) -> str:
        return self.name


class ShownState(models.Model):
    """One state in which a frame is shown: the order of its still, and of the SDR one that stands for an HDR one.

    ``seen`` is the fingerprint of its path for the output; ``made`` holds what its files turned out as, by kind,
    ``problem`` why they could not be made.
    """

    item = models.ForeignKey(ShownItem, on_delete=models.CASCADE, related_name="states")
    position = models.PositiveIntegerField()
    name = models.CharField(max_length=120)
    seen = models.CharField(max_length=64)
    settings = models.JSONField()
    order_json = models.TextField()
    sdr_json = models.TextField(blank=True)
    made = models.JSONField(null=True)
    problem = models.CharField(max_length=400, blank=True)

    class Meta:
        ordering = ("position",)

    def __str__(self) -> str:
        return self.name

    def orders(self) -> dict[str, Order]:
        """By kind: ``main``, and ``sdr`` where the main one is HDR; raises RecipeError or BadValue."""
        texts = {"main": self.order_json, "sdr": self.sdr_json}
        return {kind: Order.from_json(text) for kind, text in texts.items() if text}

    def seen_at(self, frame: int) -> str:
        """The fingerprint of its path at a frame of the file."""
        return Order.from_json(self.order_json).pieces[0].path.at(frame).fingerprint

    def place(self, kind: str) -> FilePath:
        """Where its still lies."""
        return self.item.showing.folder / f"{self.pk}-{kind}.png"


class Visitor(models.Model):
    """Somebody who opened a showing, by the name they gave; ``key`` is in their browser alone."""

    showing = models.ForeignKey(Showing, on_delete=models.CASCADE, related_name="visitors")
    key = models.CharField(max_length=64, unique=True, default=new_key)
    name = models.CharField(max_length=60, blank=True)
    first = models.DateTimeField(default=timezone.now)
    last = models.DateTimeField(default=timezone.now)
    times = models.PositiveIntegerField(default=1)

    class Meta:
        ordering = ("-last",)

    def __str__(self) -> str:
        return self.name or "somebody who gave no name"


class GuestRemark(models.Model):
    """Which visitor said a remark, of which item of which showing."""

    remark = models.OneToOneField(Remark, on_delete=models.CASCADE, related_name="of_guest")
    visitor = models.ForeignKey(Visitor, null=True, on_delete=models.SET_NULL, related_name="said")
    item = models.ForeignKey(ShownItem, on_delete=models.CASCADE, related_name="remarks")

    def __str__(self) -> str:
        return str(self.remark)
