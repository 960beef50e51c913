"""Layers as a production keeps them: a camera's trim, a group's trim and the finish, each with its versions."""

from __future__ import annotations

import datetime
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING, Any, Literal

from django.db import models
from django.db.models import F

from upwelling.core.documents import read_stored
from upwelling.core.outputs import Output
from upwelling.core.path import LAYER_TITLES, OUTPUT_KINDS
from upwelling.web.common.models import Authored
from upwelling.web.footage.layer_content import LayerContent
from upwelling.web.footage.look_models import ShotGroup
from upwelling.web.productions.models import Production

if TYPE_CHECKING:
    from upwelling.web.footage.models import Shot

SharedKind = Literal["camera_trim", "group_trim", "finish"]
SHARED: tuple[SharedKind, ...] = ("camera_trim", "group_trim", "finish")
"""Kinds of layers that shots share, beside Looks."""


class SharedLayer(models.Model):
    """A layer that shots follow: all of a ``camera``, all of a ``group``, or all of the production after the rendering:
    a finish, for a kind of ``output``, one output by its name, or every one (empty).

    ``number`` is that of the version in force; 0: nothing yet, or all of it undone.
    """

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="layers")
    camera = models.OneToOneField("footage.Camera", null=True, on_delete=models.CASCADE, related_name="layer")
    group = models.OneToOneField(ShotGroup, null=True, on_delete=models.CASCADE, related_name="layer")
    output = models.CharField(max_length=60, blank=True)
    number = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ("pk",)
        constraints = (
            models.UniqueConstraint(
                fields=("production", "output"),
                condition=models.Q(camera=None, group=None),
                name="one_finish_an_output",
            ),
        )

    def __str__(self) -> str:
        return title_of(self.kind, self.whose)

    @property
    def kind(self) -> SharedKind:
        return "camera_trim" if self.camera_id else "group_trim" if self.group_id else "finish"

    @property
    def whose(self) -> str:
        """The camera's or group's name, or the outputs that a finish is for."""
        owner = self.camera or self.group
        return owner.name if owner else self.output

    @property
    def present(self) -> LayerVersion | None:
        """The version in force."""
        return self.versions.filter(number=self.number).first()

    @property
    def content(self) -> LayerContent:
        """What is in force now."""
        now = self.present
        return now.content if now else LayerContent()


class LayerVersion(Authored):
    """One state of a layer; never changed once saved. ``before`` is the version it was made from: undo goes there.
    ``shot_state``: the state of a shot that came with it, where a step was moved between the two.
    """

    layer = models.ForeignKey(SharedLayer, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    before = models.PositiveIntegerField(default=0)
    label = models.CharField(max_length=120)
    body = models.JSONField()
    shot_state = models.ForeignKey(
        "footage.ShotState", null=True, on_delete=models.SET_NULL, related_name="layer_versions"
    )

    class Meta:
        ordering = ("-number",)
        constraints = (models.UniqueConstraint(fields=("layer", "number"), name="one_layer_version_a_number"),)

    def __str__(self) -> str:
        return f"{self.layer}, version {self.number}"

    @property
    def content(self) -> LayerContent:
        return content_of(self.pk, self.created)


@lru_cache(maxsize=256)
def content_of(version: int, created: datetime.datetime) -> LayerContent:
    """A version's content, read once: versions do not change. ``created`` tells rows of different databases apart."""
    row = LayerVersion.objects.select_related("layer").get(pk=version)
    return read_stored("layer", str(row), LayerContent, row.body)


def title_of(kind: SharedKind, whose: str) -> str:
    """A layer by its name: “B-cam’s trim”, “Finish, SDR outputs”."""
    if kind != "finish":
        return f"{whose}’s trim"
    kinds = {"": "every output", **{kind: f"{kind} outputs" for kind in OUTPUT_KINDS}}
    return f"{LAYER_TITLES[kind]}, {kinds.get(whose, whose)}"


@dataclass(frozen=True)
class InForceLayer:
    """A layer in force: its row's number, whose it is, and its version."""

    layer: int
    kind: SharedKind
    whose: str
    number: int
    version: int
    created: datetime.datetime

    @property
    def content(self) -> LayerContent:
        return content_of(self.version, self.created)

    @property
    def title(self) -> str:
        return title_of(self.kind, self.whose)


@dataclass(frozen=True)
class LayerTable:
    """All layers of a production that hold something, read once for a request."""

    cameras: dict[int, InForceLayer]
    groups: dict[int, InForceLayer]
    finishes: dict[str, InForceLayer]

    def of(self, shot: Shot, kind: SharedKind, target: Output) -> InForceLayer | None:
        """The layer of a kind that a shot follows; for a finish the one that says most of the output: by its name,
        else by its kind, else for every one.
        """
        if kind == "camera_trim":
            return self.cameras.get(shot.camera_id or 0)
        if kind == "group_trim":
            return self.groups.get(shot.group_id or 0)
        names = (target.name, "HDR" if target.is_hdr else "SDR", "")
        return next((self.finishes[name] for name in names if name in self.finishes), None)


def layers_of(production: Production) -> LayerTable:
    """The production's layers, kept with it until ``forget_layers``."""
    kept: Any = production.__dict__
    if "layer_table" not in kept:
        rows = LayerVersion.objects.filter(layer__production=production, number=F("layer__number")).values_list(
            *("layer_id", "layer__camera_id", "layer__camera__name", "layer__group_id", "layer__group__name"),
            *("layer__output", "number", "pk", "created"),
        )
        table = LayerTable({}, {}, {})
        for layer, camera, camera_name, group, group_name, output, *version in rows:
            if camera:
                table.cameras[camera] = InForceLayer(layer, "camera_trim", camera_name, *version)
            elif group:
                table.groups[group] = InForceLayer(layer, "group_trim", group_name, *version)
            else:
                table.finishes[output] = InForceLayer(layer, "finish", output, *version)
        kept["layer_table"] = table
    found: LayerTable = kept["layer_table"]
    return found


def forget_layers(production: Production) -> None:
    """After a change: they are read again when next asked for."""
    production.__dict__.pop("layer_table", None)
