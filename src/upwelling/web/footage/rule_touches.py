"""What a change of a production's rules would touch, said before it is saved."""

from __future__ import annotations

import copy
from dataclasses import dataclass
from typing import Any

import numpy as np
from pydantic import ValidationError

from upwelling.core.count_of import count_of
from upwelling.core.documents import sealed
from upwelling.core.errors import UpwellingError
from upwelling.core.path import Path
from upwelling.web.footage.listing import loaded, numbers_in_order
from upwelling.web.footage.paths import path_at
from upwelling.web.productions.models import Production
from upwelling.web.productions.rules import Rules

PROBE = np.stack(np.meshgrid(*[np.linspace(0, 1, 6)] * 3), axis=-1).reshape(-1, 3)
"""Codes (216, 3) that paths are tried on."""
MOST = 400
"""Shots whose paths are made, before and after; more are told to be more."""


@dataclass(frozen=True)
class Touches:
    """How many shots' pictures change, of how many that were looked at, and whether there are more."""

    changed: int
    looked_at: int
    more: int

    def __str__(self) -> str:
        if not self.looked_at:
            return "No shot is there yet."
        many = f"{self.changed} of {count_of(self.looked_at, 'shot')}" if self.changed else "No shot"
        verb = "changes" if self.changed in (0, 1) else "change"
        more = f", of the first {self.looked_at}; {self.more} more were not looked at" if self.more else ""
        return f"{many} {verb} in picture or code{more}."


def touches(production: Production, rules: Rules) -> Touches:
    """What other rules would change."""
    numbers = numbers_in_order(production.shots.all())
    trial = copy.copy(production)
    trial.rules = sealed("rules", rules.model_dump(mode="json"))
    for name in ("rule_set", "displays", "definitions"):
        trial.__dict__.pop(name, None)
    now, then = (_paths(one, numbers[:MOST]) for one in (production, trial))
    changed = sum(not _alike(one, other) for one, other in zip(now, then, strict=True))
    return Touches(changed, len(now), len(numbers[MOST:]))


def _paths(production: Production, numbers: list[int]) -> list[Path | None]:
    return [_path(shot) for shot in loaded(production, numbers)]


def _path(shot: Any) -> Path | None:
    """None: none can be made."""
    try:
        return path_at(shot)
    except (UpwellingError, ValidationError):
        return None


def _alike(one: Path | None, other: Path | None) -> bool:
    """Whether two paths give the same. A fingerprint holds what is set; what has no part in a shot, as the HLG
    display's peak where nothing is HLG, is found by trying.
    """
    if one is None or other is None or one.fingerprint == other.fingerprint:
        return (one is None) == (other is None)
    if (one.display.range, one.display.depth) != (other.display.range, other.display.depth):
        return False
    try:
        return np.array_equal(one.apply(PROBE), other.apply(PROBE))
    except UpwellingError:
        return False  # steps that need a place or a frame cannot be tried on colours alone
