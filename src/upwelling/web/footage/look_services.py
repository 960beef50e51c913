"""Changes to Looks: new ones, new versions, and giving them to shots, groups and the production."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import transaction
from django.db.models import Q

from upwelling.core.colour.primaries import primaries
from upwelling.core.count_of import count_of
from upwelling.core.documents import sealed
from upwelling.core.errors import BadValue
from upwelling.core.path import Layer
from upwelling.core.path.look_recipe import MOST_STEPS, LookRecipe, with_ids
from upwelling.core.steps import AnyStep
from upwelling.web.common.requests import Refused
from upwelling.web.footage.listing import numbers_with
from upwelling.web.footage.look_models import Look, LookGiven, LookVersion, ShotGroup, forget_looks
from upwelling.web.footage.models import Shot
from upwelling.web.luts.kept_tables import whole
from upwelling.web.productions.models import Production


def checked_name(production: Production, name: str, kind: str, taken: Any) -> str:
    """A name without odd spaces; raises Refused when it is empty, too long or taken."""
    name = " ".join(name.split())
    if not 1 <= len(name) <= 60:
        raise Refused(f"A {kind}’s name has 1 to 60 characters; this one has {len(name)}.")
    if taken.filter(name__iexact=name).exists():
        raise Refused(f"This production has a {kind} “{name}” already. Choose another name.")
    return name


def checked_steps(production: Production, steps: Sequence[AnyStep]) -> tuple[AnyStep, ...]:
    """Steps with ids, tried on the working space; raises Refused or BadValue."""
    if not steps:
        raise Refused("A Look needs at least one step.")
    if len(steps) > MOST_STEPS:
        raise Refused(f"A Look holds at most {MOST_STEPS} steps; these are {len(steps)}.")
    listed = with_ids(steps)
    for step in listed:
        step.at(0).operations(primaries(production.rule_set.working))
    return listed


@transaction.atomic
def create_look(production: Production, user: Any, name: str, steps: Sequence[AnyStep], note: str = "") -> Look:
    """A new Look with its first version."""
    listed = checked_steps(production, whole(tuple(steps)))
    look = Look.objects.create(
        production=production, name=checked_name(production, name, "Look", production.looks), created_by=user
    )
    _add_version(look, user, listed, note)
    return look


def _add_version(look: Look, user: Any, steps: Sequence[AnyStep], note: str) -> LookVersion:
    last = look.versions.order_by("-number").values_list("number", flat=True).first() or 0
    stored = sealed("look steps", [step.model_dump(mode="json") for step in steps])
    made = LookVersion.objects.create(
        look=look, number=last + 1, steps=stored, note=" ".join(note.split())[:500], created_by=user
    )
    forget_looks(look.production)
    return made


def same_steps(one: Sequence[AnyStep], two: Sequence[AnyStep]) -> bool:
    """Whether two lists do the same under the same names; what tells steps of one list apart does not count."""
    bare = [[step.model_copy(update={"id": ""}) for step in steps] for steps in (one, two)]
    return bare[0] == bare[1]


@transaction.atomic
def new_version(look: Look, user: Any, steps: Sequence[AnyStep], note: str = "") -> LookVersion:
    """The Look's steps from now on; every shot it is given to follows. Raises Refused when nothing differs."""
    listed = checked_steps(look.production, whole(tuple(steps)))
    if same_steps(look.newest.step_list, listed):
        raise Refused(f"These are the steps {look.name} has already.")
    return _add_version(look, user, listed, note)


def propose_version(one: Look, steps: Any) -> None:
    """Saves the proposal with the Look; raises Refused when nothing differs."""
    listed = checked_steps(one.production, whole(tuple(steps)))
    if same_steps(listed, one.newest.step_list):
        raise Refused(f"Nothing differs: these are the steps {one.name} has now.")
    one.proposal = sealed("look steps", [step.model_dump(mode="json") for step in listed])
    one.save(update_fields=["proposal"])


@transaction.atomic
def accept_proposal(look: Look, user: Any, seen: str, note: str = "") -> tuple[LookVersion, int]:
    """Makes the proposal that was ``seen``, by its mark, the new version; gives it and how many shots it is on.

    Raises Refused when it is gone, or another one now.
    """
    look.refresh_from_db(fields=["proposal"])
    _check_seen(look, seen)
    touched = len(numbers_with(look))
    made = new_version(look, user, look.proposed, note)
    drop_proposal(look, seen)
    return made, touched


def _check_seen(look: Look, seen: str) -> None:
    if look.proposal is None:
        raise Refused("There is no proposal any more: someone decided meanwhile.")
    if seen != look.proposal_mark:
        raise Refused("Somebody has proposed something else meanwhile. Look at what it touches now, then decide.")


def drop_proposal(look: Look, seen: str) -> None:
    """Leaves the Look as it is; raises Refused when the proposal is not the one that was seen."""
    _check_seen(look, seen)
    look.proposal = None
    look.save(update_fields=["proposal"])


def rename_look(look: Look, name: str) -> None:
    """Another name; raises Refused when it is taken."""
    look.name = checked_name(look.production, name, "Look", look.production.looks.exclude(pk=look.pk))
    look.save(update_fields=["name"])
    forget_looks(look.production)


def set_retired(look: Look, retired: bool) -> None:
    """Takes a Look off the list, or puts it back; raises Refused while it is in force somewhere."""
    users = numbers_with(look)
    if retired and users:
        one = Shot.objects.get(pk=users[0])
        raise Refused(
            f"{look.name} is in force on {count_of(len(users), 'shot')}, {one.name} among them. "
            "Give them another Look first."
        )
    look.retired = retired
    look.save(update_fields=["retired"])
    forget_looks(look.production)


def checked_strength(strength: float) -> float:
    """0…1; raises BadValue."""
    if not 0 <= strength <= 1:
        raise BadValue(f"A Look’s strength lies between 0 and 100 %; {strength * 100:.0f} % does not.")
    return strength


@transaction.atomic
def give_to_all(
    production: Production,
    look: Look | None,
    strength: float,
    group: ShotGroup | None = None,
    *,
    inherit: bool = False,
    over: bool = False,
) -> None:
    """Gives a Look to a group, or to the production; ``inherit`` takes a group's (or the production's) away again.
    ``over``: a group's acts after the production's, instead of taking its place.
    """
    if inherit:
        LookGiven.objects.filter(production=production, group=group).delete()
    else:
        LookGiven.objects.update_or_create(
            production=production,
            group=group,
            defaults={
                "look": look,
                "strength": checked_strength(strength),
                "over": over and group is not None and look is not None,
            },
        )
    forget_looks(production)


@transaction.atomic
def make_group(production: Production, name: str, numbers: Sequence[int]) -> ShotGroup:
    """A group of shots; each leaves the group it was in."""
    if not numbers:
        raise Refused("Choose the shots of the group first.")
    group = ShotGroup.objects.create(
        production=production, name=checked_name(production, name, "group", production.groups)
    )
    Shot.objects.filter(pk__in=numbers, production=production).update(group=group)
    forget_looks(production)
    return group


def set_group(production: Production, numbers: Sequence[int], group: ShotGroup | None) -> None:
    """Puts shots into a group, or takes them out of theirs; a group without shots is removed, unless it has a layer of
    its own, which would go with it.
    """
    Shot.objects.filter(pk__in=numbers, production=production).update(group=group)
    production.groups.filter(shots=None).filter(Q(layer=None) | Q(layer__number=0)).delete()
    forget_looks(production)


def look_from_recipe(production: Production, user: Any, text: bytes, name: str = "") -> Look:
    """A Look from its JSON; ``name`` replaces the one in the file."""
    recipe = LookRecipe.from_text(text)
    return create_look(production, user, name or recipe.name, recipe.steps, recipe.note)


def stage_of(look: Look, strength: float = 1.0) -> Layer:
    """A Look as a stage, to be tried on a shot."""
    return Layer(kind="look", name=look.name, steps=look.newest.step_list, strength=checked_strength(strength))
