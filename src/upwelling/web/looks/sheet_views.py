"""The contact sheet: many shots under several Looks side by side, and giving one to many."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from upwelling.web.bench.share_views import take_back_and_say
from upwelling.web.bench.views import grouped
from upwelling.web.errors import Refused
from upwelling.web.footage.look_services import give_to_shots, make_group, set_group
from upwelling.web.footage.looks import looks_of
from upwelling.web.footage.models import SharedChange
from upwelling.web.looks.views import usable
from upwelling.web.productions.forms import typed_number
from upwelling.web.productions.models import production_for

MOST_COLUMNS = 5


@require_GET
def sheet(request: HttpRequest, slug: str) -> HttpResponse:
    """Rows of shots, a column as each is now and one for each chosen Look at one strength."""
    production = production_for(request.user, slug)
    table, shots = looks_of(production), usable(production)
    offered = list(table.offered)
    asked = request.GET.getlist("look")
    columns = [v for v in offered if str(v.look) in asked][:MOST_COLUMNS] if asked else offered[:3]
    strength = request.GET.get("strength", "100")
    strength = strength if strength.isdigit() and int(strength) <= 100 else "100"
    rows = []
    for camera, listed in grouped(shots):
        lines = []
        for shot in listed:
            now = table.in_force(shot, shot.listed_settings)
            at = reverse("look-picture", args=[slug, shot.pk])
            lines.append({"shot": shot, "now": now, "cells": [{"look": v, "picture": f"{at}?look={v.look}&strength={strength}&v={v.version}-{shot.version}-{shot.frame}",
                                                               "is_now": now.version is not None and now.version.look == v.look} for v in columns]})
        rows.append((camera, lines))
    return render(request, "looks/sheet.html", {
        "production": production, "role": production.role_of(request.user), "rows": rows, "columns": columns, "offered": offered, "strength": strength,
        "groups": production.groups.all(), "picked": {v.look for v in columns}, "most": MOST_COLUMNS,
        "past": production.shared_changes.filter(source="the Looks page").select_related("created_by")[:4],
    })


@require_POST
def give(request: HttpRequest, slug: str) -> HttpResponse:
    """Gives a Look to the chosen shots, or puts them into a group."""
    production = production_for(request.user, slug, change=True)
    wanted = {int(v) for v in request.POST.getlist("shot") if v.isdigit()}
    shots = [shot for shot in usable(production) if shot.pk in wanted]
    match request.POST.get("what"):
        case "look":
            given = request.POST.get("look", "")
            look = get_object_or_404(production.looks, pk=int(given)) if given.isdigit() else None
            strength = typed_number(request.POST.get("strength", "100"), "Strength", " of percent") / 100
            change = give_to_shots(production, request.user, look, strength, shots, inherit=given == "inherit")
            messages.success(request, f"{change.steps[0].upper()}{change.steps[1:]} on {len(shots)} shot{'s' if len(shots) != 1 else ''}. One undo takes it back from all.")
        case "group":
            group = make_group(production, request.POST.get("group", ""), shots)
            messages.success(request, f"{group.name}: {len(shots)} shots. Give the group a Look on the Looks page.")
        case "join" | "leave":
            chosen = request.POST.get("into", "")
            into = get_object_or_404(production.groups, pk=int(chosen)) if request.POST["what"] == "join" and chosen.isdigit() else None
            set_group(production, shots, into)
        case _:
            raise Refused("Choose what to do with the shots.")
    back = request.POST.get("back", "")
    return redirect(back if back.startswith(f"/p/{slug}/looks/") else reverse("look-sheet", args=[slug]))


@require_POST
def take_back(request: HttpRequest, slug: str, change: int) -> HttpResponse:
    """Undoes a giving on all its shots at once."""
    production = production_for(request.user, slug, change=True)
    take_back_and_say(request, get_object_or_404(SharedChange, pk=change, production=production))
    return redirect("look-sheet", slug)
