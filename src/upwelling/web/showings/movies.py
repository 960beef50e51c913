"""The movies of a showing: H.264 of the shots or the cut, ordered, rendered and proved as every delivery is."""

from __future__ import annotations

import dataclasses
import math
from typing import Any

from django.http import QueryDict

from upwelling.core.delivery.shown import screened
from upwelling.core.errors import UpwellingError
from upwelling.web.deliveries.plan import Plan, plan_from
from upwelling.web.deliveries.rendering import start
from upwelling.web.showings.models import Showing, ShownItem

LARGEST = 1920, 1080
"""What larger pictures are fitted to."""


def order_movies(showing: Showing, user: Any) -> None:
    """Queues the movies and says at each item which shows it; what cannot be had is said in ``left_out``."""
    items = [item for item in showing.items.select_related("shot") if item.frames > 1 and item.shot is not None]
    if not items:
        return
    try:
        plan = _plan(showing, items)
        plan.wanted = [dataclasses.replace(one, order=screened(one.order)) for one in plan.wanted]
        rows = start(showing.production, user, plan)
    except UpwellingError as error:
        showing.left_out.append(f"There is no movie: {error}")
        return
    showing.left_out += [f"Of the movie: {sentence}" for sentence in (*plan.refused, *plan.remarks)]
    of_shot = {row.shot_id: row for row in rows}
    for item in items:
        item.movie = rows[0] if showing.cut is not None else of_shot.get(item.shot_id)
        if item.movie is not None:
            item.rate = float(item.movie.order.exact_rate)
    ShownItem.objects.bulk_update(items, ["movie", "rate"])


def _plan(showing: Showing, items: list[ShownItem]) -> Plan:
    asked = QueryDict(mutable=True)
    fixed = {"preset": "H.264", "output": showing.sdr_output or showing.output, "folder": f"Showing {showing.pk}"}
    asked.update({**fixed, "clash": "version"})
    if showing.cut is not None:
        asked.update({"cut": str(showing.cut.pk), "as": "one", "missing": "black", "pattern": "{cut}"})
    else:
        asked.setlist("shot", [str(item.shot_id) for item in items])
    width, height = max(((item.shot.width, item.shot.height) for item in items if item.shot), key=math.prod)
    if width <= LARGEST[0] and height <= LARGEST[1]:
        try:
            return plan_from(showing.production, asked)
        except UpwellingError:
            pass  # sizes that differ, or that chroma cannot be halved in
    share = min(1.0, LARGEST[0] / width, LARGEST[1] / height)
    sides = {name: str(2 * max(1, round(side * share / 2))) for name, side in (("width", width), ("height", height))}
    asked.update({"sizing": "exact", **sides})
    return plan_from(showing.production, asked)
