"""The first steps, a line under the bar until a table holds or the person puts them away."""

from __future__ import annotations

from typing import Any

from django import template

from upwelling.web.bench.opening import was_opened
from upwelling.web.care.first_steps import first_steps, has_left

register = template.Library()


@register.inclusion_tag("care/first_steps.html", takes_context=True)
def first_hour(context: template.Context) -> dict[str, Any]:
    """The steps for who may change; the first that is not done is the one at hand."""
    request, production, may = (context.get(name) for name in ("request", "production", "may"))
    if production is None or request is None or not getattr(may, "change", False):
        return {"steps": []}
    steps = first_steps(production, benched=was_opened(request, production))
    left = bool(steps) and has_left(production, request.user)
    here = next((step for step in steps if not step.done), None)
    return {"steps": steps, "here": here, "left": left, "production": production, "csrf_token": context["csrf_token"]}
