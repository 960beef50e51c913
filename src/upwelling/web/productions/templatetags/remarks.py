"""Remarks on a thing, wherever it is shown."""

from __future__ import annotations

from typing import Any

from django import template

from upwelling.web.productions.remarks import MOST, Remark, allowed, remarks_on

register = template.Library()
BUTTONS = {"answered": "Answered", "tick": "Tick it off", "open": "Open again", "remove": "Remove"}


def buttons_of(remark: Remark, user: Any, *, changes: bool) -> list[tuple[str, str]]:
    """What a person may do with a remark, and what the button for it says."""
    may = allowed(remark, user, changes=changes)
    return [(what, title) for what, title in BUTTONS.items() if what in may]


@register.inclusion_tag("productions/remarks.html", takes_context=True)
def remarks(context: template.Context, kind: str, number: int = 0, name: str = "") -> dict[str, Any]:
    """The remarks on one thing of the page's production, with the form for another; ``back`` is the page itself."""
    production, user = context["production"], context["request"].user
    changes = context["may"].change
    rows = [
        {"remark": one, "buttons": buttons_of(one, user, changes=changes)}
        for one in remarks_on(production, kind, number)
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
