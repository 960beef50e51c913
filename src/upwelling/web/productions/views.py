"""Productions: the list, a new one, and saving rules."""

from __future__ import annotations

from django.contrib import messages
from django.contrib.auth.views import PasswordChangeView
from django.contrib.messages.views import SuccessMessageMixin
from django.core.exceptions import PermissionDenied
from django.db.models import Count, OuterRef, Subquery
from django.db.models.functions import Coalesce
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from upwelling.core.errors import UpwellingError
from upwelling.web.common.access import signed_in
from upwelling.web.productions.access import production_view
from upwelling.web.productions.conflicts import only_changed
from upwelling.web.productions.forms import ProductionForm, RulesForm
from upwelling.web.productions.models import Production, may_administer, may_create
from upwelling.web.productions.services import create_production, note_numbers_seen, on_fresh_rules, set_rules


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
    form = RulesForm(request.POST, production=production)
    if not form.is_valid():
        problem = "; ".join(f"{form.fields[name].label}: {error[0]}" for name, error in form.errors.items())
        messages.error(request, f"The rules were not changed. {problem}")
        return redirect("production", production.slug)
    try:
        with on_fresh_rules(production) as now:
            changed = only_changed(
                request.POST.get("seen", ""), form.cleaned_data, RulesForm.initial_of(now), form.named
            )
            set_rules(production, form.changes(changed))
    except UpwellingError as error:
        messages.error(request, f"The rules were not changed. {error}")
    else:
        messages.success(request, "The rules are saved. Every shot that does not say otherwise follows them.")
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
