"""The first hour: from the first file to a table that holds, in steps that are real acts on real pages."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from upwelling.core.proof.certificate import FAILS
from upwelling.web.bakes.models import Bake
from upwelling.web.footage.listing import with_settled
from upwelling.web.productions.models import Member, Production


@dataclass(frozen=True)
class FirstStep:
    """A step, where it is done, and whether it is."""

    title: str
    url: str
    says: str
    done: bool


def first_steps(production: Production, *, benched: bool) -> list[FirstStep]:
    """The steps with what is done of them; nothing once a table holds. ``benched``: the person was on the Bench."""
    bakes = Bake.objects.filter(production=production)
    holds = bakes.exclude(verdict__in=("", FAILS)).exists()
    if holds or production.archived:
        return []
    brought = production.shots.exists()
    settled = brought and with_settled(production).exclude(in_force="").exists()
    return [
        FirstStep("Bring a file in", "intake", "Choose files, drop them, or register a folder.", brought),
        FirstStep("Say what it is", "intake", "Take what is proposed, or give it an encoding.", settled),
        FirstStep("Look at it", "any-bench", "The Bench shows it in light; correct it if it needs that.", benched),
        FirstStep("Bake a table", "any-bake", "Choose who receives it, then Bake and verify.", bakes.exists()),
        FirstStep("See that it holds", "bakes", "The certificate says so, and on which pictures.", holds),
    ]


def leave(production: Production, user: Any, *, left: bool) -> None:
    """Puts the steps away for a member, or takes them up again."""
    Member.objects.filter(production=production, user=user).update(left_first_steps=left)


def has_left(production: Production, user: Any) -> bool:
    """Whether a member put them away."""
    return Member.objects.filter(production=production, user=user, left_first_steps=True).exists()
