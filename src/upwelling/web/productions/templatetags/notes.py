"""Notes on a thing, wherever it is shown."""

from __future__ import annotations

from typing import Any

from django import template

from upwelling.web.productions.notes import MOST, notes_on

register = template.Library()


@register.inclusion_tag("productions/notes.html", takes_context=True)
def notes(context: template.Context, kind: str, number: int = 0, name: str = "") -> dict[str, Any]:
    """The notes on one thing of the page's production, with the form for another; ``back`` is the page itself."""
    production = context["production"]
    return {
        "production": production,
        "kind": kind,
        "number": number,
        "name": name,
        "notes": notes_on(production, kind, number),
        "may": context["may"],
        "most": MOST,
        "back": context["request"].get_full_path(),
        "csrf_token": context.get("csrf_token"),
    }
