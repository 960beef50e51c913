"""Changes to productions."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.utils.text import slugify
from pydantic import ValidationError

from upwelling.core.errors import BadValue
from upwelling.core.outputs import output
from upwelling.core.primaries import primaries
from upwelling.web.productions.models import Member, Production
from upwelling.web.productions.rules import Rules


@transaction.atomic
def create_production(user: Any, name: str, description: str = "") -> Production:
    """A new production whose first technician is ``user``."""
    base = slugify(name)[:50] or "production"
    slug, number = base, 2
    while Production.objects.filter(slug=slug).exists():
        slug, number = f"{base}-{number}", number + 1
    production = Production.objects.create(name=name, slug=slug, description=description, rules=Rules().model_dump(mode="json"))
    Member.objects.create(production=production, user=user, role=Member.Role.TECHNICIAN)
    return production


def set_rules(production: Production, changes: dict[str, Any]) -> Rules:
    """Lays changes over the rules and saves them; raises BadValue with the reason and saves nothing."""
    try:
        rules = Rules.model_validate({**production.rule_set.model_dump(), **changes})
    except ValidationError as error:
        first = error.errors()[0]
        place = " ".join(str(part).replace("_", " ") for part in first["loc"])
        raise BadValue(f"{place.capitalize()}: {first['msg'].removeprefix('Value error, ')}.") from None
    rules.rendering.operation(primaries(rules.working), output(rules.output), rules.adaptation)
    production.rules = rules.model_dump(mode="json")
    production.save(update_fields=["rules"])
    return rules
