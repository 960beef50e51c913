"""Remarks on a thing, wherever it is shown."""

from __future__ import annotations

from typing import Any

from django import template

from upwelling.web.productions.remarks import MOST, allowed, remarks_on

register = template.Library()
BUTTONS = {"answered": "Answered", "tick": "Tick it off", "open": "Open again", "remove": "Remove"}


@register.inclusion_tag("productions/remarks.html", takes_context=True)
def remarks(context: template.Context, kind: str, number: int = 0, name: str = "") -> dict[str, Any]:
    """The remarks on one thing of the page's production, with the form for another; ``back`` is the page itself."""
    production, user = context["production"], context["request"].user
    rows = [
        {"remark": one, "buttons": [(what, BUTTONS[what]) for what in BUTTONS if what in may]}
        for one in remarks_on(production, kind, number)
        for may in [allowed(one, user, changes=context["may"].change)]
    ]
    return {
        "production": production,
        "kind": kind,
        "number": number,
        "name": name,
        "rows": rows,
        "most": MOST,
        "back": context["request"].get_full_path(),
        "csrf_token": context.get("csrf_token"),
    }
