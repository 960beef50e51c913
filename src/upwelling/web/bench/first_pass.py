"""What a first pass offers under the hand, how it begins, and where it stands."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import transaction
from django.urls import reverse

from upwelling.core.errors import BadValue
from upwelling.core.steps import Contrast, Exposure, Saturation, Step, WhiteBalance, ZoneBalance
from upwelling.web.bench.models import FirstPass, Said
from upwelling.web.common.controls import controls
from upwelling.web.footage.listing import loaded
from upwelling.web.footage.models import Shot
from upwelling.web.productions.models import Production

CONTROLS: dict[str, tuple[str, type[Step], str]] = {
    "exposure": ("Exposure", Exposure, "stops"),
    "warmth": ("Warmth", WhiteBalance, "kelvin"),
    "tint": ("Tint", WhiteBalance, "duv"),
    "contrast": ("Contrast", Contrast, "contrast"),
    "shadows": ("Shadows", ZoneBalance, "stops.0"),
    "mids": ("Mids", ZoneBalance, "stops.1"),
    "highlights": ("Highlights", ZoneBalance, "stops.2"),
    "saturation": ("Saturation", Saturation, "amount"),
}
"""By name: the title, the kind of step whose first of the trim takes it, and the value of it that is moved."""
USUAL = ("exposure", "warmth", "contrast", "shadows", "highlights", "saturation")


def pass_rows(names: Sequence[str]) -> list[dict[str, Any]]:
    """Rows of controls, as the steps declare them, each with one cell of its own title."""
    rows = []
    for name in names:
        title, step, path = CONTROLS[name]
        field, _, place = path.partition(".")
        row = next(row for row in controls(step, "") if row.get("name") == field)
        cell = row["cells"][int(place or 0)] | {"path": f"pass.{name}", "label": title, "channel": ""}
        rows.append({**row, "title": title, "triple": False, "keyed": False, "cells": [cell]})
    return rows


def pass_targets() -> dict[str, dict[str, str]]:
    """By name, what the page moves: the kind of step and the value of it."""
    return {name: {"kind": str(step().kind), "path": path} for name, (_, step, path) in CONTROLS.items()}


def begin(production: Production, user: Any, numbers: Sequence[int], names: Sequence[str]) -> FirstPass:
    """A pass over shots in the order given; one that was begun before is forgotten. Shots that cannot be corrected are
    kept for the list at its end.
    """
    chosen = [name for name in CONTROLS if name in names]
    if not numbers:
        raise BadValue("Choose at least one shot for the first pass.")
    if not chosen:
        raise BadValue("Choose at least one control for the first pass.")
    shots = loaded(production, dict.fromkeys(numbers))
    said = {str(shot.pk): "cannot" for shot in shots if _cannot(shot)}
    if len(said) == len(shots):
        raise BadValue("None of these shots can be corrected yet: settle what they are first.")
    values = {"numbers": [shot.pk for shot in shots], "said": said, "controls": chosen, "is_open": True}
    return FirstPass.objects.update_or_create(production=production, user=user, defaults=values)[0]


def say(walk: FirstPass, shot: Shot, said: Said) -> FirstPass:
    """Keeps what was said of a shot."""
    with transaction.atomic():
        held = FirstPass.objects.select_for_update().get(pk=walk.pk)
        held.said[str(shot.pk)] = said
        held.save(update_fields=["said"])
    held.production = walk.production
    return held


def open_pass(production: Production, user: Any, shot: Shot) -> FirstPass | None:
    """The pass that somebody is on with a shot of it."""
    walk = pass_of(production, user)
    return walk if walk is not None and walk.is_open and shot.pk in walk.numbers else None


def pass_of(production: Production, user: Any) -> FirstPass | None:
    """The pass that somebody began last."""
    walk = FirstPass.objects.filter(production=production, user=user).first()
    if walk is not None:
        walk.production = production
    return walk


def standing_of(walk: FirstPass, pk: int) -> dict[str, Any]:
    """Where a pass stands at a shot: counts, and the addresses before and next."""

    def bench(number: int | None) -> str | None:
        return None if number is None else reverse("bench", args=[walk.production.slug, number])

    said = list(walk.said.values())
    workable = [one for one in walk.numbers if walk.said.get(str(one)) != "cannot"]
    return {
        "at": workable.index(pk) + 1 if pk in workable else 0,
        "of": len(workable),
        "good": said.count("good"),
        "later": said.count("later"),
        "said": walk.said.get(str(pk), ""),
        "next": bench(walk.next_after(pk)),
        "previous": bench(walk.before(pk)),
    }


def summary_of(walk: FirstPass) -> dict[str, Any]:
    """What is left of a pass: shots put off, those nothing was said of, and those that could not be worked at."""
    shots = {shot.pk: shot for shot in loaded(walk.production, walk.numbers)}
    there = [shots[pk] for pk in walk.numbers if pk in shots]
    idle = [(shot, reason) for shot in there if (reason := _cannot(shot))]
    cannot = {shot.pk for shot, _ in idle}

    def rows(said: str) -> list[dict[str, str]]:
        return [_row(shot) for shot in there if shot.pk not in cannot and _said(walk, shot) == said]

    return {
        "good": len(rows("good")),
        "later": rows("later"),
        "left": rows(""),
        "cannot": [_row(shot, reason) for shot, reason in idle],
    }


def _said(walk: FirstPass, shot: Shot) -> str:
    said = str(walk.said.get(str(shot.pk), ""))
    return "" if said == "cannot" else said  # settled since the walk began


def _row(shot: Shot, reason: str = "") -> dict[str, str]:
    return {"name": shot.name, "address": reverse("bench", args=[shot.production.slug, shot.pk]), "reason": reason}


def _cannot(shot: Shot) -> str:
    """Why a shot cannot be corrected; empty where it can."""
    if not shot.settled.is_settled:
        return "what this file is was not settled"
    return "" if shot.is_managed else "its colour management is off"
