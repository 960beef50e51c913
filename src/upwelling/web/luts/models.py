"""ImportedLut: a table brought into a production, kept by its content, with the spaces a person declared for it."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings
from django.db import models
from pydantic import ValidationError

from upwelling.core.errors import BadValue
from upwelling.core.lut import Lut
from upwelling.core.lut.carried import CarriedLut
from upwelling.core.operations.declared_lut import DeclaredLut
from upwelling.core.outputs import OUTPUTS
from upwelling.core.parameters import refusal
from upwelling.core.rendering import DisplayTable
from upwelling.core.tables.files import read_lut
from upwelling.web.common.models import Authored
from upwelling.web.common.requests import Refused
from upwelling.web.jobs.models import Job
from upwelling.web.productions.models import Production

RANGES = [("full", "full range"), ("legal", "legal range")]
NEAR = 12.0
"""Mean codes of 10 bit up to which a table is offered as the built-in conversion nearest to it."""
INTERPOLATIONS = [("tetrahedral", "tetrahedral"), ("trilinear", "trilinear")]


class ImportedLut(Authored):
    """One table. Empty ``expects`` or ``gives``: undeclared, and nothing runs through it."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="luts")
    name = models.CharField(max_length=200)
    sha256 = models.CharField(max_length=64)
    file = models.CharField(max_length=255)
    kind = models.CharField(max_length=12)
    size = models.PositiveIntegerField()
    expects = models.CharField(max_length=80, blank=True)
    expects_range = models.CharField(max_length=5, choices=RANGES, default="full")
    gives = models.CharField(max_length=80, blank=True)
    gives_range = models.CharField(max_length=5, choices=RANGES, default="full")
    interpolation = models.CharField(max_length=12, choices=INTERPOLATIONS, default="tetrahedral")
    evidence_json = models.JSONField(default=dict)
    recovered = models.JSONField(null=True, blank=True)
    """Of one recovered from two pictures: what is said of it, and which nodes were seen; see ``recoveries``."""
    tags = models.CharField(max_length=200, blank=True)
    used = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ("name", "pk")
        constraints = (models.UniqueConstraint(fields=("production", "sha256"), name="one_lut_a_content"),)

    def __str__(self) -> str:
        return self.name

    @property
    def disk_path(self) -> FilePath:
        return FilePath(settings.FILES) / self.file

    @property
    def lut(self) -> Lut:
        """The table; raises BadLut when the file has gone bad."""
        return _read(str(self.disk_path), self.sha256)

    @property
    def is_declared(self) -> bool:
        return bool(self.expects and self.gives)

    @property
    def tag_list(self) -> list[str]:
        return self.tags.split()

    @property
    def seems_legal(self) -> bool:
        """Whether what it gives for grey runs from 64 to 940, as it was looked at when it was brought in."""
        return any("64 to 940" in text for text in self.evidence_json.get("sentences", ()))

    @property
    def guess(self) -> dict[str, str] | None:
        """The spaces of the built-in conversion that it is near to; offered, never taken unasked. None where it is near
        to none.
        """
        near = next(iter(self.evidence_json.get("nearest", ())), None)
        if near is None or not near["expects"] or near["mean_codes"] > NEAR:
            return None
        code_range = "legal" if near["codes_legal"] else "full"
        gives = near["gives"].split(" by ")[0]
        return {"expects": near["expects"], "gives": gives, "expects_range": code_range, "gives_range": code_range}

    @property
    def use(self) -> str:
        """What it can be used for as it is declared: “step” of a trim or Look, “rendering”, “over” the rendering; empty
        while it is undeclared.
        """
        if not self.is_declared:
            return ""
        if self.between_displays:
            return "over"
        return "rendering" if self.gives in OUTPUTS else "step"

    @property
    def between_displays(self) -> bool:
        """Whether it was declared to run from display code to display code."""
        return self.expects in OUTPUTS and self.gives in OUTPUTS

    @property
    def display_table(self) -> DisplayTable:
        """As the table of a Look of the display; raises Refused where it is none, BadValue where it cannot be one."""
        if not self.between_displays:
            raise Refused(
                f"{self.name} does not run from display code to display code. Declare an output for what it expects "
                "and for what it gives."
            )
        try:
            return DisplayTable.model_validate(self._spaces())
        except ValidationError as error:
            raise BadValue(refusal(error)) from None

    @property
    def declared(self) -> DeclaredLut:
        """With its spaces, fit to travel in a recipe; raises Refused while they are not declared."""
        if self.expects in OUTPUTS:
            raise Refused(
                f"{self.name} expects {self.expects}, a display’s code: it can be laid over what the rendering gives, "
                "and is no Look of the scene, no rendering and no input."
            )
        if not self.is_declared:
            raise Refused(
                f"{self.name} has no declared spaces, so nothing runs through it. Say on its page what code it expects "
                "and gives."
            )
        return DeclaredLut.model_validate(self._spaces())

    def _spaces(self) -> dict[str, Any]:
        return {
            "table": carried(str(self.disk_path), self.name, self.sha256),
            "expects": self.expects,
            "expects_range": self.expects_range,
            "gives": self.gives,
            "gives_range": self.gives_range,
            "interpolation": self.interpolation,
        }


class KeptTable(models.Model):
    """A table that trims name by its digest: a CarriedLut as it travels. See ``kept_tables``."""

    digest = models.CharField(max_length=64, primary_key=True)
    carried = models.JSONField()

    def __str__(self) -> str:
        return self.digest


class Recovery(Authored):
    """A table that is being recovered from a picture before and after it."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="recoveries")
    name = models.CharField(max_length=60)
    before_name = models.CharField(max_length=120)
    after_name = models.CharField(max_length=120)
    job = models.ForeignKey(Job, null=True, on_delete=models.SET_NULL, related_name="+")
    lut = models.ForeignKey(ImportedLut, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return self.name


@lru_cache(maxsize=8)
def _read(place: str, sha256: str) -> Lut:
    return read_lut(place)


@lru_cache(maxsize=8)
def carried(place: str, name: str, sha256: str) -> CarriedLut:
    """The table packed for a recipe."""
    return CarriedLut.of(_read(place, sha256), name, sha256)
