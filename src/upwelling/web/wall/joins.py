"""The joins of a cut: the last frame of an event and the first of the next, side by side, the largest jump first."""

from __future__ import annotations

import json
from itertools import pairwise

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET

from upwelling.web.common.paging import page_of
from upwelling.web.cuts.models import Cut, CutEvent
from upwelling.web.cuts.views import cut_view
from upwelling.web.footage.listing import managed
from upwelling.web.footage.models import Shot
from upwelling.web.productions.models import Production

EACH = 100
"""Joins of one page: two frames each."""


def joins_of(cut: Cut) -> list[tuple[CutEvent, CutEvent]]:
    """Events that follow each other in the list, both of a shot whose codes stand for light."""
    events = list(cut.events.order_by("number"))
    shown = set(managed(cut.production).values_list("pk", flat=True))
    there = {one.pk for one in events if one.state == "found" and one.shot_id in shown and one.first is not None}
    return [(a, b) for a, b in pairwise(events) if a.pk in there and b.pk in there]


@require_GET
@cut_view()
def joins(request: HttpRequest, production: Production, cut: Cut) -> HttpResponse:
    """The joins, each with both frames and how they are apart as that is known."""
    page = page_of(request, joins_of(cut), EACH)
    rows = list(page.object_list)
    shots = production.shots.in_bulk([one.shot_id for pair in rows for one in pair])
    data = {
        "joins": [_row(production, shots, *pair) for pair in rows],
        "urls": {name: reverse(f"wall-{name}", args=[production.slug]) for name in ("tiles", "ready")},
        "play": reverse("play-cut", args=[production.slug, cut.pk]),
    }
    return render(request, "wall/joins.html", {"cut": cut, "data": json.dumps(data), "page": page, "count": len(rows)})


def _row(production: Production, shots: dict[int, Shot], before: CutEvent, after: CutEvent) -> dict[str, object]:
    """One join for the page: both places, names, and where it is played and worked at."""
    one, other = shots[before.shot_id or 0], shots[after.shot_id or 0]
    last = min((before.first or 0) + max(before.frames, 1) - 1, one.last_frame)
    first = min(after.first or 0, other.last_frame)
    bench = reverse("bench", args=[production.slug, other.pk])
    return {
        "numbers": [before.number, after.number],
        "places": [[one.pk, last], [other.pk, first]],
        "names": [f"{before.number} · {one.name}", f"{after.number} · {other.name}"],
        "bench": f"{bench}?frame={first}&beside={one.pk}.{last}&cut={after.cut_id}&event={after.number}",
    }
