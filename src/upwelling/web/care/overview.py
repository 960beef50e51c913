"""A production's first page: where the work stands, what waits, the rules, and some pictures."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.errors import UpwellingError
from upwelling.web.care.first_steps import leave
from upwelling.web.care.work import next_of, pictured, stations
from upwelling.web.footage.look_models import looks_of
from upwelling.web.footage.rule_touches import touches
from upwelling.web.productions.access import production_view
from upwelling.web.productions.conflicts import as_seen, mark_of
from upwelling.web.productions.forms import RulesForm
from upwelling.web.productions.models import Production
from upwelling.web.productions.rule_lines import rule_differences, rule_lines
from upwelling.web.productions.rules import Rules
from upwelling.web.productions.services import on_fresh_rules, rules_with
from upwelling.web.productions.views import asked_rules, kept_rules


@require_GET
@production_view()
def overview(request: HttpRequest, production: Production) -> HttpResponse:
    """The first page; an address of the list of shots that stood here leads there."""
    if request.GET:
        return redirect(f"shots/?{request.GET.urlencode()}")
    rules = production.rule_set
    form = RulesForm(initial=RulesForm.initial_of(rules), production=production)
    work = stations(production)
    kept = request.session.get(kept_rules(production))
    return render(
        request,
        "care/overview.html",
        {
            "work": work,
            "next": next_of(work),
            "shots": pictured(production),
            "count": work[0].count,
            "lines": rule_lines(production, rules, looks_of(production).for_all.summary(), form),
            "seen": as_seen(RulesForm.initial_of(rules)),
            "took": kept["said"] if kept and kept["now"] == mark_of(production.rules) else "",
        },
    )


@require_POST
@production_view()
def put_away(request: HttpRequest, production: Production) -> HttpResponse:
    """Puts the first steps away for the person, or takes them up again."""
    leave(production, request.user, left=bool(request.POST.get("left")))
    return redirect("production", production.slug)


@require_POST
@production_view()
def rule_touches(request: HttpRequest, production: Production) -> JsonResponse:
    """What saving the form would change, and whose pictures; nothing is saved."""
    try:
        with on_fresh_rules(production) as now:
            then: Rules = rules_with(production, asked_rules(request, production, now))
    except UpwellingError as error:
        return JsonResponse({"said": "", "trouble": str(error)})
    lines = rule_differences(now, then)
    said = f"{'; '.join(lines)}. {touches(production, then)}" if lines else ""
    return JsonResponse({"said": said, "trouble": ""})
