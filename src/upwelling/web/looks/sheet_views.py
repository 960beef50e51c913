"""Giving a Look to many shots that stand side by side under several, and grouping them."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.count_of import count_of
from upwelling.web.bench.share_views import take_back_and_say
from upwelling.web.common.requests import Refused, typed_number, whole_or
from upwelling.web.footage.finding import chosen_numbers
from upwelling.web.footage.giving import give_look
from upwelling.web.footage.listing import managed
from upwelling.web.footage.look_services import make_group, set_group
from upwelling.web.footage.models import SharedChange
from upwelling.web.productions.access import production_view
from upwelling.web.productions.models import Production


@require_GET
@production_view()
def sheet(request: HttpRequest, production: Production) -> HttpResponse:
    """Where shots stood under several Looks: that is the wall now."""
    asked = request.GET.copy()
    asked.setlist("column", ["", *asked.pop("look")] if "look" in asked else [])
    asked["by"] = "looks"
    return redirect(f"{_wall(production)}?{asked.urlencode()}")


def _wall(production: Production) -> str:
    return reverse("wall", args=[production.slug])


@require_POST
@production_view(change=True)
def give(request: HttpRequest, production: Production) -> HttpResponse:
    """Gives a Look to the chosen shots, or puts them into a group."""
    numbers = chosen_numbers(request.POST, production, managed(production))
    match request.POST.get("what"):
        case "look":
            given = request.POST.get("look", "")
            look = None if given in ("", "none", "inherit") else get_object_or_404(production.looks, pk=whole_or(given))
            strength = typed_number(request.POST.get("strength", "100"), "Strength", " of percent") / 100
            change = give_look(production, request.user, look, strength, numbers, inherit=given == "inherit")
            on = f"{change.steps[0].upper()}{change.steps[1:]} on {count_of(len(numbers), 'shot')}."
            begun = " It is being given below." if change.job else ""
            messages.success(request, f"{on}{begun} One undo takes it back from all.")
        case "group":
            group = make_group(production, request.POST.get("new_group", ""), numbers)
            messages.success(
                request, f"{group.name}: {count_of(len(numbers), 'shot')}. Give the group a Look on the Looks page."
            )
        case "join" | "leave":
            chosen = request.POST.get("into", "")
            into = (
                get_object_or_404(production.groups, pk=whole_or(chosen))
                if request.POST["what"] == "join" and chosen
                else None
            )
            set_group(production, numbers, into)
        case _:
            raise Refused("Choose what to do with the shots.")
    back = request.POST.get("back", "")
    return redirect(back if back.startswith(_wall(production)) else f"{_wall(production)}?by=looks")


@require_POST
@production_view(change=True)
def take_back(request: HttpRequest, production: Production, change: int) -> HttpResponse:
    """Undoes a giving on all its shots at once."""
    take_back_and_say(request, get_object_or_404(SharedChange, pk=change, production=production))
    return redirect(f"{_wall(production)}?by=looks")
