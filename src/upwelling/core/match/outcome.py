"""A match as steps of a trim: a named group that can be read, weakened, corrected and taken back."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from upwelling.core.match.light import CannotMatch, Match
from upwelling.core.path import Correction
from upwelling.core.path.look_recipe import with_ids
from upwelling.core.steps.group import MOST_GROUPS, StepGroup

STEM, FIRST_STEM = "match", "first"
"""The ids of the groups of a match, and of what a first pass proposed."""
MOST_NOTE, MOST_NAME = 500, 60


def put(
    steps: Sequence[Any],
    groups: Sequence[StepGroup],
    match: Match,
    reference: str,
    said: str,
    strength: float = 1.0,
    stem: str = STEM,
) -> tuple[tuple[Any, ...], tuple[StepGroup, ...]]:
    """Steps and groups of a trim with the match's steps before them: corrections a person made stay on top of it, but
    for leading steps that go by the camera's own levels, which stay before it.

    ``reference`` names what was matched to, ``said`` is put into the note with the figures. The group of an earlier
    match is replaced.
    """
    kept = tuple(group for group in groups if group.id != stem)
    own = with_ids([step for step in steps if step.group != stem])
    if not match.steps:
        return own, kept
    note = _note(match, said)
    made = [
        step.model_copy(update={"id": "", "group": stem, "note": note if n == 0 else ""})
        for n, step in enumerate(match.steps)
    ]
    name = "First pass" if stem == FIRST_STEM else _name(reference)
    return _before(own, kept, made, StepGroup(id=stem, name=name, strength=strength))


def for_camera(match: Match, reference: str, said: str) -> Correction:
    """The match as a camera's correction."""
    return Correction(name=_name(reference), note=_note(match, said), steps=Correction().then(match.steps))


def _name(reference: str) -> str:
    return f"Match to {reference}"[:MOST_NAME]


def _note(match: Match, said: str) -> str:
    return f"{said} {match.sentence()}. {' '.join(match.remarks)}"[:MOST_NOTE]


def regrouped(
    steps: Sequence[Any],
    groups: Sequence[StepGroup],
    its_steps: Sequence[Any],
    its_groups: Sequence[StepGroup],
    stem: str = STEM,
) -> tuple[tuple[Any, ...], tuple[StepGroup, ...]]:
    """Steps and groups of a trim with the match of another trim of the same shot in place of their own."""
    group = next(one for one in its_groups if one.id == stem)
    made = [step.model_copy(update={"id": ""}) for step in its_steps if step.group == stem]
    own = with_ids([step for step in steps if step.group != stem])
    return _before(own, tuple(one for one in groups if one.id != stem), made, group)


def _before(
    own: tuple[Any, ...], kept: tuple[StepGroup, ...], made: Sequence[Any], group: StepGroup
) -> tuple[tuple[Any, ...], tuple[StepGroup, ...]]:
    if len(kept) >= MOST_GROUPS:
        raise CannotMatch(f"The trim has {MOST_GROUPS} groups already. Take one apart first.")
    named = with_ids([*own, *made])
    # What goes by the camera's own levels stays where it meets them.
    first = next((n for n, step in enumerate(own) if not step.camera_light), len(own))
    return (*named[:first], *named[len(own) :], *named[first : len(own)]), (group, *kept)
