"""A shot's settings over time: applied, undone, redone, kept as Marks, given to other shots and taken back."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import transaction
from django.utils import timezone

from upwelling.core.documents import sealed
from upwelling.core.steps import AnyStep
from upwelling.web.common.requests import Refused
from upwelling.web.footage.layer_models import LayerVersion
from upwelling.web.footage.merging import merged
from upwelling.web.footage.models import Mark, SharedChange, Shot, ShotState
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.shot_settings import ShotSettings, Way
from upwelling.web.luts.kept_tables import put_apart
from upwelling.web.productions.models import Production

BATCH = 100
"""Shots of one transaction where many are changed: others can save in between."""


class Outdated(Refused):
    """Someone else changed the shot in between.

    ``kept`` is the Mark that holds what could not be saved, once it is kept.
    """

    kept: Mark | None = None


@transaction.atomic
def apply_settings(shot: Shot, user: Any, settings: ShotSettings, *, version: int, label: str) -> Shot:
    """Saves new settings as the next state; raises Outdated when ``version`` is not the newest, and changes nothing."""
    fresh = Shot.objects.select_for_update().get(pk=shot.pk)
    if fresh.version != version:
        last = fresh.states.filter(position=fresh.position).select_related("created_by").first()
        who = f"{last.created_by} ({last.label})" if last and last.created_by else "someone else"
        raise Outdated(f"This shot was changed meanwhile by {who}.")
    return next_state(fresh, user, settings, label)


@transaction.atomic
def _apply_both(shot: Shot, user: Any, base: ShotSettings, settings: ShotSettings, label: str) -> Shot | None:
    """What came too late on top of what came meanwhile, as the next state; None where they touched the same."""
    fresh = Shot.objects.select_for_update().get(pk=shot.pk)
    both = merged(base, settings, fresh.settings)
    return None if both is None else next_state(fresh, user, both, label)


def apply_or_keep(
    shot: Shot, user: Any, settings: ShotSettings, *, version: int, label: str, base: ShotSettings | None = None
) -> Shot:
    """As ``apply_settings``; settings that come too late are put together with what came meanwhile where they changed
    other things since ``base``. Else they are kept as a Mark, and Outdated says so and carries it.
    """
    try:
        return apply_settings(shot, user, settings, version=version, label=label)
    except Outdated as error:
        both = _apply_both(shot, user, base, settings, label) if base is not None else None
        if both is not None:
            return both
        kept = Mark.objects.create(
            shot=shot,
            name=f"{user}, not saved {timezone.localtime():%H:%M:%S}"[-60:],
            kept=True,
            created_by=user,
            settings=sealed("shot settings", settings.model_dump(mode="json")),
        )
        late = Outdated(f"{error} What you had is kept as the Mark “{kept.name}”; the shot now shows theirs.")
        late.kept = kept
        raise late from None


def next_state(fresh: Shot, user: Any, settings: ShotSettings, label: str, shared: SharedChange | None = None) -> Shot:
    """Puts a state after the present one, cutting what lay there; the shot must be locked or fresh."""
    settings = settings.model_copy(update={"steps": put_apart(settings.steps)})
    path_of(fresh, settings)
    if not fresh.states.exists():
        ShotState.objects.create(
            shot=fresh,
            position=0,
            label="as brought in",
            created_by=user,
            settings=sealed("shot settings", ShotSettings().model_dump(mode="json")),
        )
    fresh.states.filter(position__gt=fresh.position).delete()
    fresh.position += 1
    fresh.version += 1
    ShotState.objects.create(
        shot=fresh,
        position=fresh.position,
        label=label[:120],
        created_by=user,
        shared=shared,
        settings=sealed("shot settings", settings.model_dump(mode="json")),
    )
    fresh.save(update_fields=["position", "version"])
    return fresh


@transaction.atomic
def move_in_history(shot: Shot, by: int) -> Shot:
    """Undo (−1) or redo (+1); raises Refused at either end."""
    fresh = Shot.objects.select_for_update().get(pk=shot.pk)
    if not fresh.states.filter(position=fresh.position + by).exists():
        raise Refused("There is nothing to undo." if by < 0 else "There is nothing to redo.")
    return _stand_at(fresh, fresh.position + by)


def stand_before(state: ShotState) -> None:
    """Takes a shot back to before a state that came with another change; raises Refused where it was changed since."""
    fresh = Shot.objects.select_for_update().get(pk=state.shot_id)
    if fresh.position != state.position:
        raise Refused(f"{fresh.name} was changed since a step was moved out of it. Undo there first.")
    _stand_at(fresh, state.position - 1, with_layer=True)


@transaction.atomic
def return_to(shot: Shot, position: int) -> Shot:
    """Goes to any state of the history; what lies after it stays for redo.

    Raises Refused when there is no such state.
    """
    fresh = Shot.objects.select_for_update().get(pk=shot.pk)
    if not fresh.states.filter(position=position).exists():
        raise Refused("That state is no longer in the history. Reload the page.")
    return _stand_at(fresh, position)


def _stand_at(fresh: Shot, position: int, *, with_layer: bool = False) -> Shot:
    """Stands at a state of the history. One that came with a change of a layer is left, or come back to, by undoing
    that change, which does both.
    """
    low, high = sorted((fresh.position, position))
    crossed = LayerVersion.objects.filter(
        shot_state__shot=fresh, shot_state__position__gt=low, shot_state__position__lte=high
    )
    moved = None if with_layer else crossed.select_related("layer__camera", "layer__group").first()
    if moved is not None:
        raise Refused(
            f"That moved a step to or from {moved.layer}: take that layer in hand, and undo it there for both."
        )
    fresh.position = position
    fresh.version += 1
    fresh.save(update_fields=["position", "version"])
    return fresh


@transaction.atomic
def set_mark(shot: Shot, user: Any, name: str, settings: ShotSettings) -> Mark:
    """Saves a state under a name; an empty name is numbered."""
    name = " ".join(name.split()) or f"Mark {shot.marks.count() + 1}"
    if len(name) > 60:
        raise Refused(f"A Mark’s name has at most 60 characters; this one has {len(name)}.")
    if shot.marks.filter(name=name).exists():
        raise Refused(f"This shot has a Mark “{name}” already. Choose another name.")
    return Mark.objects.create(
        shot=shot, name=name, created_by=user, settings=sealed("shot settings", settings.model_dump(mode="json"))
    )


def remove_mark(shot: Shot, number: int) -> None:
    """Takes a Mark away; one that is gone already is no matter."""
    shot.marks.filter(pk=number).delete()


@transaction.atomic
def share_steps(
    production: Production,
    user: Any,
    source: Shot,
    steps: Sequence[AnyStep],
    targets: Sequence[Shot],
    way: Way = "replace",
) -> SharedChange:
    """Gives steps to shots, each as its own next state under one SharedChange; all or none."""
    if not steps or not targets:
        raise Refused("Choose at least one step and one shot.")
    names = ", ".join(step.shown_name for step in steps)[:300]
    change = SharedChange.objects.create(production=production, source=source.name, steps=names, created_by=user)
    for target in Shot.objects.select_for_update().filter(pk__in=[shot.pk for shot in targets], production=production):
        next_state(target, user, target.settings.with_steps(steps, way), f"{names} from {source.name}", change)
    return change


def unshare(change: SharedChange) -> list[Shot]:
    """Takes a shared change back wherever it still is the present state, a batch at a time.

    Returns the shots changed since, left alone.
    """
    if change.undone:
        raise Refused("That was taken back already.")
    if change.job is not None and not change.job.is_over:
        raise Refused("It is still being given. Cancel that first, or wait until it is done.")
    left = []
    states = list(change.states.values_list("shot", "position"))
    for first in range(0, len(states), BATCH):
        with transaction.atomic():
            for number, position in states[first : first + BATCH]:
                shot = Shot.objects.select_for_update().get(pk=number)
                if shot.position == position:
                    _stand_at(shot, shot.position - 1)
                elif shot.position != position - 1 or shot.states.filter(position__gt=position).exists():
                    left.append(shot)
    change.undone = True
    change.save(update_fields=["undone"])
    return left


def history_ends(shot: Shot) -> dict[str, Any]:
    """What undo and redo would do now: their labels, or None."""
    labels = dict(shot.states.values_list("position", "label"))
    return {
        "version": shot.version,
        "undo": labels.get(shot.position) if shot.position > 0 else None,
        "redo": labels.get(shot.position + 1),
    }
