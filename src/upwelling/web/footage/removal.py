"""Shots that are removed: out of every list at once, to be had back for a time, with word of what uses them."""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Sequence
from pathlib import Path as FilePath
from typing import Any

from django.db import transaction
from django.utils import timezone

from upwelling.web.footage.models import Shot
from upwelling.web.jobs.sweeping import sweeps
from upwelling.web.productions.models import Production

KEPT_DAYS = 14
"""As long as a removed production is kept."""


def _users() -> Iterable[tuple[Any, str]]:
    """Models that lean on shots and say so by ``uses_shots``, with the name of their field."""
    for field in Shot._meta.get_fields(include_hidden=True):
        if field.is_relation and field.auto_created and hasattr(field.related_model, "uses_shots"):
            yield field.related_model, field.field.name  # type: ignore[union-attr]


def uses_of(numbers: Sequence[int]) -> list[str]:
    """What uses shots of these numbers, counted: “3 events of cuts”."""
    said = []
    for model, name in _users():
        count = model.objects.filter(**{f"{name}__in": numbers}).count()
        if count:
            said.append(f"{count} {model.uses_shots[count != 1]}")
    return said


@transaction.atomic
def remove_shots(shots: Sequence[Shot]) -> str:
    """Takes shots out of the production; gives a sentence on what uses them, and on how they are had back."""
    numbers = [shot.pk for shot in shots]
    used = uses_of(numbers)
    Shot.every.filter(pk__in=numbers).update(removed=timezone.now())
    for model, _ in _users():
        if hasattr(model, "shots_removed"):
            model.shots_removed(numbers)
    return (f"Used by {', '.join(used)}. " if used else "") + f"They can be had back here for {KEPT_DAYS} days."


@transaction.atomic
def have_back(production: Production) -> list[Shot]:
    """Brings back what was removed last, all that went at the same moment; an empty list where nothing was."""
    last = removed_of(production).order_by("-removed").values_list("removed", flat=True).first()
    found = list(removed_of(production).filter(removed=last)) if last else []
    numbers = [shot.pk for shot in found]
    Shot.every.filter(pk__in=numbers).update(removed=None)
    for model, _ in _users():
        if hasattr(model, "shots_removed"):
            model.shots_back(numbers)
    return found


def removed_of(production: Production) -> Any:
    """The production's removed shots."""
    return Shot.every.filter(production=production, removed__isnull=False)


@sweeps
def old() -> Iterable[FilePath]:
    """Removes for good what was removed long ago; its files are swept by their owners."""
    Shot.every.filter(removed__lt=timezone.now() - datetime.timedelta(days=KEPT_DAYS)).delete()
    return ()
