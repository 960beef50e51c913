"""Productions: the list, a new one, and saving rules."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.contrib.auth.views import PasswordChangeView
from django.contrib.messages.views import SuccessMessageMixin
from django.core.exceptions import PermissionDenied
from django.db.models import Count, OuterRef, Subquery
from django.db.models.functions import Coalesce
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from upwelling.core.errors import BadValue, UpwellingError
from upwelling.web.common.access import signed_in
from upwelling.web.productions.access import production_view
from upwelling.web.productions.conflicts import mark_of, only_changed
from upwelling.web.productions.forms import ProductionForm, RulesForm
from upwelling.web.productions.models import Production, may_administer, may_create
from upwelling.web.productions.rule_lines import rule_differences
from upwelling.web.productions.rules import Rules
from upwelling.web.productions.services import (
    create_production,
    note_numbers_seen,
    on_fresh_rules,
    set_rules,
    take_rules_back,
)


def _count(what: str) -> Coalesce:
    """How many a production has, counted by itself: two counts in one join multiply."""
    rows = Production._meta.get_field(what).related_model.objects.filter(production=OuterRef("pk"))  # type: ignore[union-attr]
    return Coalesce(Subquery(rows.order_by().values("production").annotate(n=Count("pk")).values("n")), 0)


@require_http_methods(["GET", "POST"])
@signed_in
def productions(request: HttpRequest) -> HttpResponse:
    """The productions someone is a member of, and a form for a new one."""
    form = ProductionForm(request.POST or None)
    may = may_create(request.user)
    if request.method == "POST" and not may:
        raise PermissionDenied("Beginning a production is not yours to do; an administrator gives that right.")
    if request.method == "POST" and form.is_valid():
        production = create_production(request.user, **form.cleaned_data)
        return redirect("production", production.slug)
    rows = Production.objects.visible_to(request.user).annotate(shot_count=_count("shots"), bake_count=_count("bakes"))
    return render(
        request,
        "productions/productions.html",
        {
            "productions": rows.filter(archived=None),
            "archived": rows.exclude(archived=None),
            "form": form,
            "may_create": may,
            "administers": may_administer(request.user),
        },
    )


@require_POST
@production_view(change=True)
def rules(request: HttpRequest, production: Production) -> HttpResponse:
    """Saves the rules, or says why not and keeps the old ones."""
    try:
        with on_fresh_rules(production) as now:
            before = production.rules
            changes = asked_rules(request, production, now)
            set_rules(production, changes)
    except UpwellingError as error:
        messages.error(request, f"The rules were not changed. {error}")
        return redirect("production", production.slug)
    lines = rule_differences(now, production.rule_set)
    request.said = lines  # type: ignore[attr-defined]
    if lines:
        said = "; ".join(lines)
        request.session[kept_rules(production)] = {"rules": before, "now": mark_of(production.rules), "said": said}
        messages.success(request, f"Saved: {said}. Every shot that does not say otherwise follows.")
    else:
        messages.info(request, "Nothing was changed.")
    return redirect("production", production.slug)


def asked_rules(request: HttpRequest, production: Production, now: Rules) -> dict[str, Any]:
    """What the form of the rules changes in them; raises BadValue where a field is not right, and Refused where
    somebody else changed the same.
    """
    form = RulesForm(request.POST, production=production)
    if not form.is_valid():
        raise BadValue("; ".join(f"{form.fields[name].label}: {error[0]}" for name, error in form.errors.items()))
    seen, was = request.POST.get("seen", ""), RulesForm.initial_of(now)
    return form.changes(only_changed(seen, form.cleaned_data, was, form.named))


def kept_rules(production: Production) -> str:
    """Where a person's session keeps the rules that their last change replaced."""
    return f"rules-{production.pk}"


@require_POST
@production_view(change=True)
def rules_back(request: HttpRequest, production: Production) -> HttpResponse:
    """Takes a person's last change of the rules back, unless somebody has changed them since."""
    kept = request.session.pop(kept_rules(production), None)
    try:
        take_rules_back(production, kept)
    except UpwellingError as error:
        messages.error(request, str(error))
    else:
        request.about = f"taken back: {kept['said']}"  # type: ignore[attr-defined]
        messages.success(request, f"Taken back: {kept['said']}.")
    return redirect("production", production.slug)


@require_POST
@production_view(change=True)
def numbers_seen(request: HttpRequest, production: Production) -> HttpResponse:
    """Takes the note away that an update changed the production's numbers."""
    note_numbers_seen(production)
    return redirect("production", production.slug)


class OwnPassword(SuccessMessageMixin, PasswordChangeView):
    """Everybody changes their own password; other sessions of theirs end."""

    success_url = "/"
    success_message = "Your password is changed."
