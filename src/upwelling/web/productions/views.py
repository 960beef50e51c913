"""Productions: the list, a new one, and saving rules."""

from __future__ import annotations

from django.contrib import messages
from django.db.models import Count
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from upwelling.core.errors import UpwellingError
from upwelling.web.productions.forms import ProductionForm, RulesForm
from upwelling.web.productions.models import Production, production_for
from upwelling.web.productions.services import create_production, note_numbers_seen, set_rules


@require_http_methods(["GET", "POST"])
def productions(request: HttpRequest) -> HttpResponse:
    """The productions someone is a member of, and a form for a new one."""
    form = ProductionForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        production = create_production(request.user, **form.cleaned_data)
        return redirect("production", production.slug)
    rows = Production.objects.visible_to(request.user).annotate(
        shot_count=Count("shots", distinct=True), bake_count=Count("bakes", distinct=True))
    return render(request, "productions/productions.html", {"productions": rows, "form": form})


@require_POST
def rules(request: HttpRequest, slug: str) -> HttpResponse:
    """Saves the rules, or says why not and keeps the old ones."""
    production = production_for(request.user, slug, change=True)
    form = RulesForm(request.POST, production=production)
    if not form.is_valid():
        problem = "; ".join(f"{form.fields[name].label}: {error[0]}" for name, error in form.errors.items())
        messages.error(request, f"The rules were not changed. {problem}")
        return redirect("production", slug)
    try:
        set_rules(production, form.changes())
    except UpwellingError as error:
        messages.error(request, f"The rules were not changed. {error}")
    else:
        messages.success(request, "The rules are saved. Every shot that does not say otherwise follows them.")
    return redirect("production", slug)


@require_POST
def numbers_seen(request: HttpRequest, slug: str) -> HttpResponse:
    """Takes the note away that an update changed the production's numbers."""
    note_numbers_seen(production_for(request.user, slug, change=True))
    return redirect("production", slug)
