"""Shot: one still and what is settled about it; ShotState: its history."""

from __future__ import annotations

from pathlib import Path as FilePath

from django.conf import settings as conf
from django.db import models
from django.utils import timezone

from upwelling.core.path import CameraFile, Display, Input, Path, RenderingStage, Trim
from upwelling.web.footage.shot_settings import ShotSettings, read_settings
from upwelling.web.productions.models import Production


class ShotQuerySet(models.QuerySet["Shot"]):
    """Reads."""

    def for_listing(self) -> ShotQuerySet:
        """Shots with their present state and production, in three queries however many they are."""
        now = ShotState.objects.filter(position=models.F("shot__position"))
        return self.select_related("production").prefetch_related(models.Prefetch("states", queryset=now, to_attr="present"))


class Shot(models.Model):
    """One file, never altered. An empty encoding means the production's default; ``state`` is the current history row."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="shots")
    name = models.CharField(max_length=120)
    original_name = models.CharField(max_length=255)
    file = models.CharField(max_length=255)
    sha256 = models.CharField(max_length=64)
    size_bytes = models.BigIntegerField()
    container = models.CharField(max_length=20)
    depth = models.CharField(max_length=8)
    integer_depth = models.PositiveSmallIntegerField(default=10)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    notes = models.JSONField(default=list)
    metadata = models.JSONField(default=dict)
    encoding = models.CharField(max_length=80, blank=True)
    range = models.CharField(max_length=5, default="full", choices=[("full", "full range"), ("legal", "legal range")])
    version = models.PositiveIntegerField(default=0)
    position = models.PositiveIntegerField(default=0)
    created = models.DateTimeField(default=timezone.now)
    created_by = models.ForeignKey(conf.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    objects = ShotQuerySet.as_manager()

    class Meta:
        ordering = ("name", "pk")

    def __str__(self) -> str:
        return self.name

    @property
    def disk_path(self) -> FilePath:
        return FilePath(conf.FILES) / self.file

    @property
    def settled_encoding(self) -> str:
        """The encoding in force: the shot's own, or the production's default, or empty."""
        return self.encoding or self.production.rule_set.default_encoding

    @property
    def settings(self) -> ShotSettings:
        """The settings at the history's present position; defaults for a shot nobody has touched."""
        listed: list[ShotState] | None = getattr(self, "present", None)
        state = self.states.filter(position=self.position).first() if listed is None else next(iter(listed), None)
        return read_settings(state.settings) if state else ShotSettings()

    def path(self, chosen: ShotSettings | None = None) -> Path:
        """The shot's Path under its settings and the production's rules.

        While its encoding is not settled nothing can be computed from its codes, so they are shown as they are:
        every stage is off.
        """
        rules, own = self.production.rule_set, chosen or self.settings
        known = self.settled_encoding
        depth = self.integer_depth if self.integer_depth in (8, 10, 12) else 16
        path = Path(
            working=rules.working,
            camera=CameraFile(range=self.range, depth=depth),
            input=Input(encoding=known or "linear/BT.709", adaptation=rules.adaptation, on=bool(known) and own.input_on),
            trim=Trim(steps=own.steps, on=bool(known) and own.trim_on),
            rendering=RenderingStage(method=own.rendering or rules.rendering, on=bool(known) and own.rendering_on),
            display=Display(output=rules.output, range=rules.range, depth=rules.depth, on=bool(known) and own.display_on),
        )
        path.segments()
        return path


class ShotState(models.Model):
    """One state of a shot's settings. Undo and redo move the shot's position; a new change cuts what lies after it."""

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="states")
    position = models.PositiveIntegerField()
    label = models.CharField(max_length=120)
    settings = models.JSONField()
    created = models.DateTimeField(default=timezone.now)
    created_by = models.ForeignKey(conf.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ("position",)
        constraints = (models.UniqueConstraint(fields=("shot", "position"), name="one_state_a_position"),)

    def __str__(self) -> str:
        return f"{self.shot}: {self.label}"
