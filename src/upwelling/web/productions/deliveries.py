"""Which outputs a production delivers, as what, and by which rendering."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Concatenate, ParamSpec, TypeVar

from pydantic import ValidationError

from upwelling.core.colour.primaries import primaries
from upwelling.core.errors import BadValue
from upwelling.core.rendering import AnyRendering, Rise
from upwelling.web.common.requests import Refused
from upwelling.web.productions.models import Production
from upwelling.web.productions.rules import FurtherOutput
from upwelling.web.productions.services import on_fresh_rules, set_rules

P = ParamSpec("P")
R = TypeVar("R")


def _on_fresh_rules(function: Callable[Concatenate[Production, P], R]) -> Callable[Concatenate[Production, P], R]:
    """The function works on the rules as they are now: whoever adds an output at the same time loses none."""

    @wraps(function)
    def whole(production: Production, /, *args: P.args, **kwargs: P.kwargs) -> R:
        with on_fresh_rules(production):
            return function(production, *args, **kwargs)

    return whole


def serves(production: Production, method: AnyRendering, output: str) -> bool:
    """Whether a rendering can be made for an output: a table only for the kind of display it was made for."""
    rules = production.rule_set
    try:
        method.operations(primaries(rules.working), production.output_named(output), rules.adaptation)
    except BadValue:
        return False
    return True


@_on_fresh_rules
def give_rendering(production: Production, method: AnyRendering) -> list[str]:
    """Makes it the rendering of the main output and of those that follow it, where it can serve them; the others keep
    what they have.

    Gives the outputs that have it now, or none when it serves none of those without a rendering of their own.
    """
    rules = production.rule_set
    main = serves(production, method, rules.output)
    given, deliveries = [rules.output] if main else [], []
    for delivery in rules.deliveries:
        kept = delivery.rendering
        if kept is None and serves(production, method, delivery.output):
            given.append(delivery.output)
            kept = None if main else method
        elif kept is None and main:
            kept = rules.rendering
        deliveries.append(delivery.model_copy(update={"rendering": kept}).model_dump(mode="json"))
    if given:
        set_rules(
            production, {"deliveries": deliveries, **({"rendering": method.model_dump(mode="json")} if main else {})}
        )
    return given


@_on_fresh_rules
def deliver(
    production: Production, name: str, code_range: str = "", depth: int | None = None, *, main: bool = False
) -> str:
    """Puts an output on the production's list, or makes it the main one; what is not said is the output's own.

    An output that the production's rendering cannot serve gets Rise for its own: the sentence that says so is given,
    else none. Raises BadValue and changes nothing.
    """
    rules = production.rule_set
    target = production.output_named(production.checked_output(name))
    known, others = rules.delivery(target.name), [d for d in rules.deliveries if d.output != target.name]
    try:
        this = FurtherOutput.model_validate(
            {
                "output": target.name,
                "range": code_range or target.default_range,
                "depth": target.default_depth if depth is None else depth,
                "rendering": known.rendering if known.output == target.name != rules.output else None,
            }
        )
    except ValidationError:
        raise BadValue("Range is full or legal, depth 8, 10, 12 or 16 bit.") from None
    if main:
        before = (
            [FurtherOutput(output=rules.output, range=rules.range, depth=rules.depth)]
            if rules.output != target.name
            else []
        )
        set_rules(
            production,
            {
                "output": this.output,
                "range": this.range,
                "depth": this.depth,
                "deliveries": [d.model_dump() for d in (*before, *others)],
            },
        )
        return ""
    own = this.rendering is None and not serves(production, rules.rendering, target.name)
    this = this.model_copy(update={"rendering": Rise()}) if own else this
    set_rules(production, {"deliveries": [d.model_dump() for d in (*others, this)]})
    return (
        f"The production’s rendering cannot serve {target.name}, so it has one of its own, Rise. Compare renderings to "
        "choose another."
        if own
        else ""
    )


@_on_fresh_rules
def no_longer_deliver(production: Production, name: str) -> None:
    """Takes an output off the production's list."""
    set_rules(production, {"deliveries": [d.model_dump() for d in production.rule_set.deliveries if d.output != name]})


@_on_fresh_rules
def render_delivery(production: Production, name: str, method: AnyRendering) -> None:
    """Gives one further output a rendering of its own; raises Refused when it is not on the list, BadValue when it
    cannot be made for it.
    """
    rules = production.rule_set
    if all(d.output != name for d in rules.deliveries):
        raise Refused(
            "That output is not one of the production’s further outputs. Put it on the list on the Outputs page first."
        )
    changed = [d.model_copy(update={"rendering": method}) if d.output == name else d for d in rules.deliveries]
    set_rules(production, {"deliveries": [d.model_dump(mode="json") for d in changed]})


@_on_fresh_rules
def render_production(production: Production, method: AnyRendering) -> None:
    """Gives the production its rendering; raises BadValue when it cannot be made for an output that follows it."""
    set_rules(production, {"rendering": method.model_dump(mode="json")})
