"""Looks as a production keeps them: named and versioned, given to the production, to groups of shots, or to single
shots.
"""

from __future__ import annotations

import datetime
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from django.db import models
from pydantic import ValidationError

from upwelling.core.documents import opened
from upwelling.core.errors import BadValue
from upwelling.core.parameters import refusal
from upwelling.core.path import Layer, LayerKind
from upwelling.core.path.look_recipe import STEP_LIST, LookRecipe
from upwelling.core.steps import AnyStep
from upwelling.web.common.models import Authored
from upwelling.web.productions.conflicts import mark_of
from upwelling.web.productions.models import Production

if TYPE_CHECKING:
    from upwelling.web.footage.models import Shot
    from upwelling.web.footage.shot_settings import ShotSettings


class Look(Authored):
    """A reusable set of steps by name. Every change is a new version; shots follow the newest. Retired ones are no
    longer offered.

    ``proposal``: changed steps that wait for a person to have seen what they touch.
    """

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="looks")
    name = models.CharField(max_length=60)
    retired = models.BooleanField(default=False)
    proposal = models.JSONField(null=True, blank=True)

    class Meta:
        ordering = ("name",)
        constraints = (models.UniqueConstraint(fields=("production", "name"), name="one_look_a_name"),)

    def __str__(self) -> str:
        return self.name

    @property
    def newest(self) -> LookVersion:
        """The version in force."""
        return self.versions.order_by("-number")[0]

    @property
    def proposal_mark(self) -> str:
        """What tells one proposal from another; a page sends the one that it showed."""
        return mark_of(self.proposal)

    @property
    def proposed(self) -> tuple[AnyStep, ...]:
        """The proposal's steps."""
        return _read_steps(self.proposal or [])

    def recipe(self, version: LookVersion | None = None) -> LookRecipe:
        """As it travels."""
        chosen = version or self.newest
        return LookRecipe(name=self.name, note=chosen.note, steps=chosen.step_list)


class LookVersion(Authored):
    """One state of a Look's steps; never changed once saved."""

    look = models.ForeignKey(Look, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    steps = models.JSONField()
    note = models.CharField(max_length=500, blank=True)

    class Meta:
        ordering = ("-number",)
        constraints = (models.UniqueConstraint(fields=("look", "number"), name="one_version_a_number"),)

    def __str__(self) -> str:
        return f"{self.look} {self.number}"

    @property
    def step_list(self) -> tuple[AnyStep, ...]:
        return steps_of(self.pk, self.created)


class ShotGroup(models.Model):
    """Shots that belong together, so that one Look can be given to all of them."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="groups")
    name = models.CharField(max_length=60)

    class Meta:
        ordering = ("name",)
        constraints = (models.UniqueConstraint(fields=("production", "name"), name="one_group_a_name"),)

    def __str__(self) -> str:
        return self.name


class LookGiven(models.Model):
    """The Look of a group, or of the whole production (no group). No look: light passes unchanged, whatever is given
    above.
    """

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="looks_given")
    group = models.OneToOneField(ShotGroup, null=True, on_delete=models.CASCADE, related_name="look_given")
    look = models.ForeignKey(Look, null=True, on_delete=models.CASCADE, related_name="given")
    strength = models.FloatField(default=1.0)
    over = models.BooleanField(default=False)
    """Whether a group's Look acts after the production's, as a second one, instead of taking its place."""

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=("production",), condition=models.Q(group=None), name="one_look_for_the_production"
            ),
        )

    def __str__(self) -> str:
        return f"{self.look} for {self.group or self.production}"


@lru_cache(maxsize=64)
def steps_of(version: int, created: datetime.datetime) -> tuple[AnyStep, ...]:
    """A version's steps, read once: versions do not change. ``created`` tells rows of different databases apart."""
    row = LookVersion.objects.select_related("look").only("steps", "number", "look__name").get(pk=version)
    try:
        return _read_steps(row.steps)
    except BadValue as error:
        raise BadValue(f"The Look {row.look.name}, version {row.number}, cannot be used: {error}") from None


def _read_steps(stored: Any) -> tuple[AnyStep, ...]:
    try:
        return STEP_LIST.validate_python(opened("look steps", stored))
    except ValidationError as error:
        raise BadValue(refusal(error)) from None


@dataclass(frozen=True)
class Version:
    """The newest version of one Look."""

    look: int
    name: str
    number: int
    version: int
    created: datetime.datetime
    retired: bool

    @property
    def steps(self) -> tuple[AnyStep, ...]:
        return steps_of(self.version, self.created)


@dataclass(frozen=True)
class InForce:
    """The Look of a shot and where it comes from: “shot”, “group”, “production” or nowhere. ``version`` None:
    no look.
    """

    version: Version | None
    strength: float
    origin: str
    group: str = ""

    def summary(self) -> str:
        """In one line, for the Column."""
        if self.version is None:
            return "None: light passes unchanged"
        at = f" at {self.strength * 100:.0f} %" if self.strength < 1 else ""
        return f"{self.version.name}, version {self.version.number}{at}"

    def stage(self, on: bool, kind: LayerKind = "look") -> Layer:
        """As a layer of the path."""
        if self.version is None:
            return Layer(kind=kind, on=on)
        name, steps = self.version.name, self.version.steps
        return Layer(kind=kind, name=name, whose=self.group, steps=steps, strength=self.strength, on=on)


@dataclass(frozen=True)
class LookTable:
    """All Looks of a production and to whom they are given, read once for a request."""

    versions: dict[int, Version]
    given: dict[int | None, tuple[int | None, float, str]]
    over: dict[int, tuple[int | None, float, str]]
    """What groups are given as a second Look, after the first."""

    @property
    def for_all(self) -> InForce:
        """What the production gives to every shot."""
        look, strength, _ = self.given.get(None, (None, 1.0, ""))
        return InForce(self.versions.get(look or 0), strength, "production" if None in self.given else "")

    def inherited(self, shot: Shot) -> InForce:
        """What the shot has if it says nothing itself."""
        if shot.group_id is None or shot.group_id not in self.given:
            return self.for_all
        look, strength, group = self.given[shot.group_id]
        return InForce(self.versions.get(look or 0), strength, "group", group)

    def second(self, shot: Shot) -> InForce | None:
        """The Look that the shot's group has over the first one; None where it has none of that kind."""
        if shot.group_id is None or shot.group_id not in self.over:
            return None
        look, strength, group = self.over[shot.group_id]
        return InForce(self.versions.get(look or 0), strength, "group", group)

    def in_force(self, shot: Shot, settings: ShotSettings) -> InForce:
        """The shot's own choice, or what it inherits."""
        if settings.look is None:
            return self.inherited(shot)
        return InForce(self.versions.get(settings.look.look), settings.look.strength, "shot")

    @property
    def offered(self) -> Iterable[Version]:
        """Looks that can be given, by name."""
        return sorted((v for v in self.versions.values() if not v.retired), key=lambda v: v.name.lower())


def looks_of(production: Production) -> LookTable:
    """The production's looks, kept with it until ``forget_looks``."""
    kept: Any = production.__dict__
    if "look_table" not in kept:
        rows = (
            LookVersion.objects.filter(look__production=production)
            .order_by("number")
            .values_list("look_id", "look__name", "number", "pk", "created", "look__retired")
        )
        versions = {row[0]: Version(*row) for row in rows}
        table = LookTable(versions, {}, {})
        fields = ("group_id", "look_id", "strength", "group__name", "over")
        for group, look, strength, name, over in production.looks_given.values_list(*fields):
            (table.over if over and group else table.given)[group] = (look, strength, name or "")
        kept["look_table"] = table
    found: LookTable = kept["look_table"]
    return found


def forget_looks(production: Production) -> None:
    """After a change: they are read again when next asked for."""
    production.__dict__.pop("look_table", None)
