"""Production: one job, its rules and its members."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, TypeVar

from django.conf import settings
from django.core.exceptions import PermissionDenied
from django.db import models
from django.http import Http404
from django.utils import timezone
from django.utils.functional import cached_property
from pydantic import ValidationError

from upwelling.core.documents import opened, read_stored
from upwelling.core.encodings import Encoding, encoding
from upwelling.core.encodings.custom import CustomEncoding
from upwelling.core.errors import BadValue
from upwelling.core.outputs import CustomOutput, Output, output
from upwelling.core.parameters import refusal
from upwelling.core.path import ARITHMETIC, changed_since
from upwelling.web.common.models import Authored
from upwelling.web.productions.conflicts import mark_of
from upwelling.web.productions.record import Entry
from upwelling.web.productions.remarks import Remark
from upwelling.web.productions.rights import May
from upwelling.web.productions.rules import Rules

__all__ = [
    "Entry",
    "FootageRoot",
    "Member",
    "OwnOutput",
    "Production",
    "Remark",
    "Rights",
    "may_administer",
    "may_create",
    "production_for",
]
R = TypeVar("R", bound=models.Model)


def readable(rows: Iterable[R], value: str) -> tuple[list[R], list[str]]:
    """The rows whose stored value can be read, and the sentences of the others."""
    found, problems = [], []
    for row in rows:
        try:
            getattr(row, value)
            found.append(row)
        except BadValue as error:
            problems.append(str(error))
    return found, problems


def _what_can_be_read(body: Any, error: ValidationError) -> Rules:
    """The rules with what is no longer possible at rest; pages say so (``rules_problem``)."""
    bad = {one["loc"][0] for one in error.errors() if one["loc"]}
    try:
        return Rules.model_validate({name: value for name, value in dict(body).items() if name not in bad})
    except (ValidationError, TypeError, ValueError):
        return Rules()


class ProductionQuerySet(models.QuerySet["Production"]):
    """Reads."""

    def visible_to(self, user: Any) -> ProductionQuerySet:
        """The productions someone is a member of."""
        return self.filter(members__user=user)


class Production(models.Model):
    """One job. ``rules`` is the JSON of a Rules value; read it with ``rule_set``."""

    name = models.CharField(max_length=120)
    slug = models.SlugField(max_length=60, unique=True)
    description = models.CharField(max_length=300, blank=True)
    rules = models.JSONField(default=dict)
    created = models.DateTimeField(default=timezone.now)
    arithmetic = models.PositiveSmallIntegerField(default=ARITHMETIC)
    """The arithmetic whose numbers its people have been told of."""
    archived = models.DateTimeField(null=True, blank=True)
    """Since when it is out of the way and cannot be changed."""
    removing = models.DateTimeField(null=True, blank=True)
    """When it goes for good, unless someone takes that back."""
    example = models.CharField(max_length=120, blank=True, default="")
    """Of a production made as the example: the folder under the media folder that was made for its footage."""
    example_files = models.TextField(blank=True, default="")
    """What was made in that folder, a file a line."""

    objects = ProductionQuerySet.as_manager()

    class Meta:
        ordering = ("name",)

    def __str__(self) -> str:
        return self.name

    @property
    def rule_set(self) -> Rules:
        """Its rules, read once for as long as the same ones stand in the row."""
        kept: tuple[Any, Rules] | None = self.__dict__.get("_rules_read")
        if kept is None or kept[0] is not self.rules:
            kept = self.__dict__["_rules_read"] = (self.rules, self._read_rules())
        return kept[1]

    def _read_rules(self) -> Rules:
        try:
            return Rules.model_validate(opened("rules", self.rules))
        except ValidationError as error:
            return _what_can_be_read(opened("rules", self.rules), error)

    @property
    def rules_problem(self) -> str:
        """What of the stored rules is no longer possible and stands at rest instead, for a sentence on every page;
        empty where nothing is.
        """
        try:
            Rules.model_validate(opened("rules", self.rules))
        except ValidationError as error:
            return refusal(error, otherwise="all of them")
        return ""

    @property
    def changed_numbers(self) -> str:
        """What makes its pictures and tables others than before, for a sentence; empty once that has been seen."""
        return changed_since(self.arithmetic)

    @cached_property
    def definitions(self) -> dict[str, CustomEncoding]:
        """The production's own encodings by name."""
        return {row.name: row.custom for row in readable(self.own_encodings.all(), "custom")[0]}

    @cached_property
    def displays(self) -> dict[str, CustomOutput]:
        """The production's own outputs by name."""
        return {row.name: row.custom for row in readable(self.own_outputs.all(), "custom")[0]}

    def checked_output(self, name: str) -> str:
        """The full name of a built-in or own output; raises UnknownName."""
        own = {known.lower(): known for known in self.displays}.get(name.strip().lower())
        return own or output(name).name

    def output_named(self, name: str) -> Output:
        """A built-in or own output."""
        return self.displays[name].output() if name in self.displays else output(name)

    def checked_encoding(self, name: str) -> str:
        """The full name of a built-in or own encoding; raises UnknownName. Empty stays empty."""
        own = {known.lower(): known for known in self.definitions}.get(name.strip().lower())
        return own or (encoding(name).name if name else "")

    def encoding_named(self, name: str) -> Encoding:
        """A built-in or own encoding; an own one made by a maker's LUT is the encoding that the LUT gives."""
        return self.definitions[name].encoding() if name in self.definitions else encoding(name)

    def role_of(self, user: Any) -> str | None:
        """“technician”, “viewer”, or None for who is no member."""
        return self.members.filter(user=user).values_list("role", flat=True).first()


class OwnOutput(Authored):
    """An output that a production's technician defined; ``definition`` is the JSON of a CustomOutput."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="own_outputs")
    name = models.CharField(max_length=60)
    definition = models.JSONField()

    class Meta:
        ordering = ("name",)
        constraints = (models.UniqueConstraint(fields=("production", "name"), name="one_output_a_name"),)

    def __str__(self) -> str:
        return self.name

    @property
    def mark(self) -> str:
        """What tells its definition from another."""
        return mark_of(self.definition)

    @property
    def custom(self) -> CustomOutput:
        return read_stored("own output", self.name, CustomOutput, self.definition)


class Member(models.Model):
    """Who may do what in a production."""

    class Role(models.TextChoices):
        TECHNICIAN = "technician", "Technician (may change)"
        VIEWER = "viewer", "Viewer (may look and download)"

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="members")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    role = models.CharField(max_length=12, choices=Role)
    left_first_steps = models.BooleanField(default=False)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("production", "user"), name="one_role_a_member"),)

    def __str__(self) -> str:
        return f"{self.user}: {self.role}"


class FootageRoot(models.Model):
    """A folder under the media folder from which a production may register footage; given by an administrator."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="footage_roots")
    folder = models.CharField(max_length=1000)

    class Meta:
        ordering = ("folder",)
        constraints = (models.UniqueConstraint(fields=("production", "folder"), name="one_root_a_folder"),)

    def __str__(self) -> str:
        return f"{self.production}: {self.folder}"


class Rights(models.Model):
    """What an account may do beyond its productions."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="rights")
    may_create = models.BooleanField(default=False)
    may_administer = models.BooleanField(default=False)
    """Whether they invite others, reset and end their accounts, and see all productions' members."""

    def __str__(self) -> str:
        return f"{self.user}: {'may' if self.may_create else 'may not'} create productions"


def may_create(user: Any) -> bool:
    """Whether someone may begin a production."""
    return Rights.objects.filter(user=user, may_create=True).exists()


def may_administer(user: Any) -> bool:
    """Whether someone looks after accounts."""
    return Rights.objects.filter(user=user, may_administer=True).exists()


ARCHIVED = (
    "This production is archived: it can be looked at and downloaded from, and nothing in it changes. A technician "
    "takes it out of the archive on its About page."
)


def production_for(user: Any, slug: str, *, change: bool = False, archived: bool = False) -> Production:
    """The production for a member; Http404 for others, PermissionDenied for a viewer who wants to change it, and for
    everybody while it is archived, unless ``archived``.
    """
    production = Production.objects.visible_to(user).filter(slug=slug).first()
    if production is None:
        raise Http404
    if change and not May(production, user).change:
        raise PermissionDenied(
            "You are a viewer here: you may look and download. A technician of the production may change it."
        )
    if change and production.archived and not archived:
        raise PermissionDenied(ARCHIVED)
    return production
