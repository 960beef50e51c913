"""Shots as lists: in order, with the encoding in force worked out by the database, and only as many as are shown."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from django.db.models import Case, CharField, F, Q, QuerySet, Value, When

from upwelling.web.footage.look_models import Look, looks_of
from upwelling.web.footage.models import Shot, ShotState
from upwelling.web.productions.models import Production

IN_ORDER = (F("camera__name").asc(nulls_last=True), "name", "pk")
"""Cameras by name, shots without one last, each camera's by name."""
MOST_TO_CHOOSE = 5000
"""Shots that are offered where several are chosen."""
MOST_CHOICES = 300
"""Shots that a menu offers at most; those around the one in hand."""


def with_settled(production: Production) -> QuerySet[Any]:
    """All shots, ``in_force`` being the encoding in force as ``inheritance.settled`` has it, empty where none is."""
    default = production.rule_set.default_encoding
    in_force = Case(
        When(raw_profile__isnull=False, then=Value("raw")),
        When(~Q(encoding=""), then=F("encoding")),
        When(state=Shot.State.CONTRADICTORY, then=Value("")),
        When(Q(camera__isnull=False) & ~Q(camera__encoding=""), then=F("camera__encoding")),
        default=Value(default),
        output_field=CharField(),
    )
    found: QuerySet[Any] = production.shots.annotate(in_force=in_force)
    return found


def managed(production: Production) -> QuerySet[Any]:
    """Shots whose codes stand for light: an encoding in force, and colour management on."""
    on = Q(managed=True) | (Q(managed=None) if production.rule_set.managed else Q(pk__in=()))
    return with_settled(production).exclude(in_force="").filter(on)


def loaded(production: Production, numbers: Iterable[int]) -> list[Shot]:
    """Shots of these numbers in their order, each with the same production, in a fixed number of queries."""
    wanted = list(numbers)
    cameras = {camera.pk: camera for camera in production.cameras.all()}
    for camera in cameras.values():
        camera.production = production
    found = {}
    for shot in production.shots.filter(pk__in=wanted).with_present():
        shot.production = production
        shot.camera = cameras.get(shot.camera_id or 0)
        found[shot.pk] = shot
    return [found[number] for number in wanted if number in found]


def touched(production: Production) -> QuerySet[Any]:
    """Shots of which people said something that their camera and production do not say."""
    own = ~Q(encoding="") & Q(camera__isnull=False) & ~Q(camera__encoding__in=("", F("encoding")))
    found: QuerySet[Any] = production.shots.filter(own | Q(position__gt=0) | ~Q(range="") | Q(managed__isnull=False))
    return found


def numbers_in_order(shots: QuerySet[Any]) -> list[int]:
    """The numbers of shots, by camera and name."""
    return list(shots.order_by(*IN_ORDER).values_list("pk", flat=True))


def around(numbers: Sequence[int], number: int, most: int) -> list[int]:
    """So many of a list with one of them in the middle, as far as that goes."""
    at = numbers.index(number) if number in numbers else 0
    first = max(min(at - most // 2, len(numbers) - most), 0)
    return list(numbers[first : first + most])


def choices(shots: QuerySet[Any], number: int = 0) -> list[dict[str, Any]]:
    """Number and name for a menu, by name; around the one in hand where there are many."""
    numbers = list(shots.order_by("name", "pk").values_list("pk", flat=True))
    shown = around(numbers, number, MOST_CHOICES)
    names = dict(Shot.objects.filter(pk__in=shown).values_list("pk", "name"))
    return [{"pk": pk, "name": names[pk]} for pk in shown if pk in names]


def to_choose(
    shots: QuerySet[Any], chosen: Iterable[int] = (), spans: Mapping[str, Sequence[str]] | None = None
) -> dict[str, Any]:
    """Shots for choosing several of them: number, name and what they are of, by name; ``chosen`` in their order, and
    the frames that each begins and ends at, as they were typed.
    """
    every = shots.order_by("name", "pk").values_list("pk", "name", "camera__name", "group__name")
    rows, count = every[:MOST_TO_CHOOSE], every.count()
    listed = [
        {"pk": pk, "name": name, "of": camera or "", "text": f"{name} {camera or ''} {group or ''}".lower()}
        for pk, name, camera, group in rows
    ]
    beyond = max(count - MOST_TO_CHOOSE, 0)
    return {"rows": listed, "chosen": list(chosen), "spans": dict(spans or {}), "beyond": beyond}


def own_looks(production: Production) -> dict[int, int]:
    """The Look that shots chose for themselves, by the shot's number; 0 is none."""
    chosen = ShotState.objects.filter(
        shot__production=production, position=F("shot__position"), settings__look__look__isnull=False
    )
    return dict(chosen.values_list("shot", "settings__look__look"))


def numbers_with(look: Look) -> list[int]:
    """The numbers of the shots on which a Look is in force, by camera and name."""
    production, over = look.production, looks_of(look.production).over
    groups = {group for group, (given, _, _) in over.items() if given == look.pk}
    rows = looks_in_force(production)
    within = set(production.shots.filter(group__in=groups).values_list("pk", flat=True)) if groups else set()
    return [number for number, chosen in rows if chosen == look.pk or number in within]


def looks_in_force(production: Production) -> list[tuple[int, int]]:
    """Each shot's number and its Look's, by camera and name; 0 is none."""
    table, own = looks_of(production), own_looks(production)
    known = table.versions
    for_all = table.given.get(None, (None, 1.0, ""))[0] or 0
    found = []
    for number, group in production.shots.order_by(*IN_ORDER).values_list("pk", "group_id"):
        given = (table.given[group][0] or 0) if group in table.given and group is not None else for_all
        chosen = own.get(number, given)
        found.append((number, chosen if chosen in known else 0))
    return found
