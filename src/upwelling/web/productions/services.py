"""Changes to productions."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from django.db import transaction
from django.utils.text import slugify
from pydantic import ValidationError

from upwelling.core.colour.primaries import primaries
from upwelling.core.documents import opened, sealed
from upwelling.core.encodings import ENCODINGS
from upwelling.core.encodings.custom import CustomEncoding
from upwelling.core.errors import BadValue, UnknownName
from upwelling.core.outputs import CustomOutput
from upwelling.core.parameters import refusal
from upwelling.core.path import ARITHMETIC
from upwelling.web.common.requests import Refused
from upwelling.web.encodings.models import OwnEncoding
from upwelling.web.productions.conflicts import check_mark, mark_of
from upwelling.web.productions.models import Member, OwnOutput, Production
from upwelling.web.productions.rules import Rules


@transaction.atomic
def create_production(user: Any, name: str, description: str = "") -> Production:
    """A new production whose first technician is ``user``."""
    base = slugify(name)[:50] or "production"
    slug, number = base, 2
    while Production.objects.filter(slug=slug).exists():
        slug, number = f"{base}-{number}", number + 1
    production = Production.objects.create(
        name=name, slug=slug, description=description, rules=sealed("rules", Rules().model_dump(mode="json"))
    )
    Member.objects.create(production=production, user=user, role=Member.Role.TECHNICIAN)
    return production


@contextmanager
def on_fresh_rules(production: Production) -> Iterator[Rules]:
    """The rules as they are now, which nobody else changes until the block ends: what is worked out from them holds."""
    with transaction.atomic():
        production.refresh_from_db(fields=["rules"])
        yield production.rule_set


def set_rules(production: Production, changes: dict[str, Any]) -> Rules:
    """Lays changes over the rules as they are now and saves them; raises BadValue with the reason and saves nothing."""
    with on_fresh_rules(production):
        return _set(production, changes)


def take_rules_back(production: Production, kept: Any) -> Rules:
    """The rules that stood before ``kept`` replaced them; raises Refused where others stand by now."""
    with on_fresh_rules(production):
        if not kept or kept["now"] != mark_of(production.rules):
            raise Refused("The rules were changed since, so nothing is taken back. Set them as they should be.")
        before = Rules.model_validate(opened("rules", kept["rules"]))
        return _set(production, before.model_dump())


def _set(production: Production, changes: dict[str, Any]) -> Rules:
    rules = rules_with(production, changes)
    production.rules = sealed("rules", rules.model_dump(mode="json"))
    production.save(update_fields=["rules"])
    return rules


def rules_with(production: Production, changes: dict[str, Any]) -> Rules:
    """The rules with changes laid over them, saved nowhere; raises BadValue with the reason."""
    try:
        rules = Rules.model_validate({**production.rule_set.model_dump(), **changes})
    except ValidationError as error:
        raise BadValue(refusal(error)) from None
    try:
        rules = rules.model_copy(
            update={
                "default_encoding": production.checked_encoding(rules.default_encoding),
                "output": production.checked_output(rules.output),
                "deliveries": tuple(
                    d.model_copy(update={"output": production.checked_output(d.output)}) for d in rules.deliveries
                ),
            }
        )
    except UnknownName as error:
        raise BadValue(str(error)) from None
    check_outputs(production, rules)
    return rules


def check_outputs(production: Production, rules: Rules) -> None:
    """Raises BadValue when an output is named twice or a rendering cannot be made for its output."""
    names = rules.outputs
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice:
        raise BadValue(f"{twice} is named twice among the outputs.")
    for name in names:
        method = rules.delivery(name).rendering or rules.rendering
        try:
            method.operations(primaries(rules.working), production.output_named(name), rules.adaptation)
        except BadValue as error:
            raise BadValue(f"{name}: {error}" if name != rules.output else str(error)) from None


def define_output(
    production: Production, user: Any, body: dict[str, Any], *, replaces: str = "", seen: str = ""
) -> OwnOutput:
    """Checks and saves an output of the production's own; raises BadValue and saves nothing, and Refused where the one
    that it replaces is not the one that was ``seen``.
    """
    before = production.own_outputs.filter(name=replaces).first() if replaces else None
    if before is not None:
        check_mark(seen, before.definition, before.name)
    made = CustomOutput.checked(body)
    taken = production.own_outputs.filter(name__iexact=made.name).exclude(name=replaces).first()
    if taken:
        raise BadValue(
            f"This production already has an output “{taken.name}”. Choose another name, or change that one."
        )
    if replaces and replaces != made.name and replaces in production.rule_set.outputs:
        raise BadValue(f"{replaces} is in use, so its name cannot change. Define a new output instead.")
    with transaction.atomic():
        row, _ = OwnOutput.objects.update_or_create(
            production=production,
            name=replaces or made.name,
            defaults={
                "name": made.name,
                "definition": sealed("own output", made.model_dump(mode="json")),
                "created_by": user,
            },
        )
        production.__dict__.pop("displays", None)
        if made.name in production.rule_set.outputs:
            check_outputs(production, production.rule_set)
    return row


def remove_output(row: OwnOutput) -> None:
    """Removes a definition; raises Refused while the production delivers it."""
    if row.name in row.production.rule_set.outputs:
        raise Refused(f"{row.name} is one of the production’s outputs. Take it off that list first.")
    row.delete()


def define_encoding(production: Production, user: Any, body: dict[str, Any], *, replaces: str = "") -> OwnEncoding:
    """Checks a definition, tries its round trip and saves it; raises BadValue or UnknownName and saves nothing."""
    made = CustomEncoding.checked(body)
    if made.name.lower() in {name.lower() for name in ENCODINGS}:
        raise BadValue(f"“{made.name}” is the name of a built-in encoding. Choose another.")
    taken = production.own_encodings.filter(name__iexact=made.name).exclude(name=replaces).first()
    if taken:
        raise BadValue(
            f"This production already has an encoding “{taken.name}”. Choose another name, or change that one."
        )
    with transaction.atomic():
        row, _ = OwnEncoding.objects.update_or_create(
            production=production,
            name=replaces or made.name,
            defaults={
                "name": made.name,
                "definition": sealed("own encoding", made.model_dump(mode="json")),
                "report": made.report()[:300],
                "created_by": user,
            },
        )
        if replaces and replaces != made.name:
            _follow_new_name(production, replaces, made.name)
    return row


def _follow_new_name(production: Production, old: str, new: str) -> None:
    """What used an own encoding by its old name uses it by its new one."""
    production.shots.filter(encoding=old).update(encoding=new)
    production.cameras.filter(encoding=old).update(encoding=new)
    production.__dict__.pop("definitions", None)
    if production.rule_set.default_encoding == old:
        set_rules(production, {"default_encoding": new})


def remove_encoding(row: OwnEncoding) -> None:
    """Removes a definition; raises Refused while the production, a camera or a shot uses it."""
    production = row.production
    users = [camera.name for camera in production.cameras.filter(encoding=row.name)]
    users += [shot.name for shot in production.shots.filter(encoding=row.name)[:3]]
    if production.rule_set.default_encoding == row.name:
        users.append("the production’s rules")
    if users:
        raise Refused(f"{row.name} is in use by {', '.join(users[:4])}. Give them another encoding first.")
    row.delete()


def note_numbers_seen(production: Production) -> None:
    """Records that the production's people know of the present arithmetic."""
    production.arithmetic = ARITHMETIC
    production.save(update_fields=["arithmetic"])
