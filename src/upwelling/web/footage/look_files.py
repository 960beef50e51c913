"""Looks from files: a Look's own JSON, an ASC CDL, an edit list with CDL."""

from __future__ import annotations

from typing import Any

from upwelling.core.apart import check_survivable
from upwelling.core.errors import BadValue
from upwelling.core.lut.formats.cdl import ENDINGS as CDL_ENDINGS
from upwelling.core.lut.formats.cdl import parse_cdl
from upwelling.core.lut.formats.edl import parse_edl
from upwelling.core.packages.cdl_part import step_of
from upwelling.web.common.requests import Refused
from upwelling.web.footage.look_models import Look
from upwelling.web.footage.look_services import create_look, look_from_recipe
from upwelling.web.productions.models import Production


def looks_from_file(production: Production, user: Any, data: bytes, title: str, name: str = "") -> list[Look]:
    """A Look for each correction in a file called ``title``; ``name`` replaces the one in a file of one.

    Raises Refused or BadValue.
    """
    ending = "." + title.rsplit(".", 1)[-1].lower()
    reader = "look" if ending == ".json" else "edl" if ending == ".edl" else "cdl" if ending in CDL_ENDINGS else ""
    if reader:
        check_survivable(reader, title, data)
    if ending == ".json":
        return [look_from_recipe(production, user, data, name)]
    if ending == ".edl":
        found = [(event.clip or event.reel, event.cdl) for event in parse_edl(data, title) if event.cdl is not None]
    elif ending in CDL_ENDINGS:
        found = [(correction.name, correction.cdl) for correction in parse_cdl(data, title)]
    else:
        raise Refused(
            "A Look comes from .json, .cc, .ccc, .cdl or .edl; a table (.cube, .clf, Hald) is brought in beside."
        )
    if not found:
        raise Refused(f"{title} carries no ASC CDL.")
    made = []
    for index, (label, cdl) in enumerate(found):
        try:
            step = step_of(cdl, "")
        except ValueError:
            raise BadValue(
                f"{title}, {label}: its numbers are beyond what slope (0…4), offset (−1…1), power (0.1…4) and "
                "saturation (0…4) may be."
            ) from None
        own = (name if len(found) == 1 and name else label)[:56] or f"Look {index + 1}"
        taken = {n.lower() for n in production.looks.values_list("name", flat=True)}
        unique = (
            own
            if own.lower() not in taken
            else next(f"{own} {k}" for k in range(2, 1000) if f"{own} {k}".lower() not in taken)
        )
        made.append(create_look(production, user, unique, [step], f"ASC CDL from {title}"))
    return made
