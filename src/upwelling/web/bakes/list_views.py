"""Tables of a list of shots: choosing them, what would be made, and starting it."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from upwelling.core.bake import RECEIVERS
from upwelling.core.errors import UpwellingError
from upwelling.core.packages.naming import FIELDS
from upwelling.web.bakes.orders import receivers_of
from upwelling.web.bakes.packages import start_list
from upwelling.web.bakes.shot_lists import PARTS, list_from, plan_of
from upwelling.web.common.requests import numbers_in_turn
from upwelling.web.footage.listing import managed, to_choose
from upwelling.web.productions.access import production_view
from upwelling.web.productions.models import Production

SHOWN = 12
"""Names of tables that the plan lists."""


@require_http_methods(["GET", "POST"])
@production_view(change="POST")
def list_setup(request: HttpRequest, production: Production) -> HttpResponse:
    """The form, as the last one was where ``again`` asks for it; a POST queues what it orders."""
    if request.method == "POST":
        try:
            made, refused = start_list(production, request.user, list_from(production, request.POST))
        except UpwellingError as error:
            messages.error(request, str(error))
        else:
            for text in refused:
                messages.warning(request, f"Left out: {text}")
            return redirect("package", production.slug, made.pk)
    return render(request, "bakes/list.html", _context(request, production))


def _context(request: HttpRequest, production: Production) -> dict[str, Any]:
    rules = production.rule_set
    last = production.packages.exclude(ordered={}).filter(created_by=request.user.pk).first()
    ordered: dict[str, Any] = last.ordered if last is not None and "again" in request.GET else {}
    given: Any = request.POST if request.method == "POST" else request.GET
    chosen = numbers_in_turn(given.getlist("shot")) or ordered.get("shots", ())
    return {
        "choosing": to_choose(managed(production), chosen),
        "last": last,
        "receivers": receivers_of(production),
        "taken": given.getlist("receiver") or ordered.get("receivers") or [RECEIVERS[0].name],
        "parts": [(name, title) for name, (title, _, _) in PARTS.items()],
        "part": given.get("part") or ordered.get("part", "display"),
        "outputs": rules.outputs,
        "output": given.get("output") or ordered.get("output", rules.output),
        "alike": given.get("alike") == "one" or bool(ordered.get("alike")),
        "pattern": given.get("pattern") or ordered.get("pattern", ""),
        "fields": FIELDS.items(),
    }


@require_POST
@production_view()
def list_plan(request: HttpRequest, production: Production) -> HttpResponse:
    """What the form as it stands would make, as a piece of the page; changes nothing."""
    try:
        order = list_from(production, request.POST)
        plan = plan_of(production, order)
    except UpwellingError as error:
        return render(request, "bakes/list_plan.html", {"problem": str(error)})
    waits = bool(plan.asks) and not order.leaves_out
    shown = {"plan": plan, "order": order, "waits": waits, "shown": plan.tables[:SHOWN]}
    return render(request, "bakes/list_plan.html", shown)
