"""On the Bench, when it was opened from a cut: the event before, this one and the next."""

from __future__ import annotations

from typing import Any

from django import template
from django.urls import reverse

from upwelling.web.common.requests import whole_or
from upwelling.web.cuts.models import Cut, CutEvent
from upwelling.web.cuts.services import FOUND

register = template.Library()
AROUND = 3
"""Events shown on either side."""


@register.inclusion_tag("cuts/line.html", takes_context=True)
def cut_line(context: template.Context) -> dict[str, Any]:
    """Nothing where the address names no cut, or none of this production."""
    request, production = context["request"], context["production"]
    number = whole_or(request.GET.get("event"))
    asked = whole_or(request.GET.get("cut"))
    cut = Cut.objects.filter(production=production, pk=asked).first() if asked else None
    if cut is None:
        return {"cut": None}
    events = list(cut.events.filter(state=FOUND).exclude(shot=None).select_related("shot"))
    at = next((n for n, one in enumerate(events) if one.number == number), None)
    if at is None:
        return {"cut": None}

    def linked(one: CutEvent) -> dict[str, Any]:
        address = reverse("bench", args=[production.slug, one.shot_id])
        return {
            "number": one.number,
            "name": one.shot.name if one.shot else "",
            "shot": one.shot,
            "here": one.number == number,
            "address": f"{address}?frame={one.first}&cut={cut.pk}&event={one.number}",
        }

    return {
        "cut": cut,
        "production": production,
        "near": [linked(one) for one in events[max(at - AROUND, 0) : at + AROUND + 1]],
        "before": linked(events[at - 1]) if at else None,
        "after": linked(events[at + 1]) if at + 1 < len(events) else None,
        "count": len(events),
    }
