"""The contact sheet: many shots under several Looks side by side, and giving one to many."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from upwelling.web.bench.share_views import take_back_and_say
from upwelling.web.bench.strip import grouped
from upwelling.web.common.paging import page_of
from upwelling.web.common.requests import Refused, typed_number, whole_or
from upwelling.web.footage.finding import chosen_numbers, found, shot_finder
from upwelling.web.footage.giving import give_look
from upwelling.web.footage.listing import loaded, managed
from upwelling.web.footage.look_models import looks_of
from upwelling.web.footage.look_services import make_group, set_group
from upwelling.web.footage.models import SharedChange
from upwelling.web.footage.paths import listed_settings_of, problem_of
from upwelling.web.productions.access import production_view
from upwelling.web.productions.models import Production

MOST_COLUMNS, EACH = 5, 40
"""Looks side by side, and shots on one page."""


@require_GET
@production_view()
def sheet(request: HttpRequest, production: Production) -> HttpResponse:
    """Rows of shots, a column as each is now and one for each chosen Look at one strength."""
    table = looks_of(production)
    asked_for = shot_finder(request.GET, production)
    page = page_of(request, found(asked_for, managed(production)), EACH)
    shots = [shot for shot in loaded(production, page.object_list) if not problem_of(shot)]
    offered = list(table.offered)
    asked = request.GET.getlist("look")
    columns = [v for v in offered if str(v.look) in asked][:MOST_COLUMNS] if asked else offered[:3]
    strength = request.GET.get("strength", "100")
    strength = str(min(whole_or(strength, 100), 100))
    rows = []
    for camera, listed in grouped(shots):
        lines = []
        for shot in listed:
            now = table.in_force(shot, listed_settings_of(shot))
            at = reverse("look-picture", args=[production.slug, shot.pk])
            lines.append(
                {
                    "shot": shot,
                    "now": now,
                    "cells": [
                        {
                            "look": v,
                            "picture": f"{at}?look={v.look}&strength={strength}"
                            f"&v={v.version}-{shot.version}-{shot.frame}",
                            "is_now": now.version is not None and now.version.look == v.look,
                        }
                        for v in columns
                    ],
                }
            )
        rows.append((camera, lines))
    return render(
        request,
        "looks/sheet.html",
        {
            "rows": rows,
            "page": page,
            "finder": asked_for,
            "columns": columns,
            "offered": offered,
            "strength": strength,
            "groups": production.groups.all(),
            "picked": {v.look for v in columns},
            "most": MOST_COLUMNS,
            "past": production.shared_changes.filter(source="the Looks page").select_related("created_by", "job")[:4],
        },
    )


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
            many = "s" if len(numbers) != 1 else ""
            on = f"{change.steps[0].upper()}{change.steps[1:]} on {len(numbers)} shot{many}."
            begun = " It is being given below." if change.job else ""
            messages.success(request, f"{on}{begun} One undo takes it back from all.")
        case "group":
            group = make_group(production, request.POST.get("new_group", ""), numbers)
            messages.success(request, f"{group.name}: {len(numbers)} shots. Give the group a Look on the Looks page.")
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
    return redirect(
        back if back.startswith(f"/p/{production.slug}/looks/") else reverse("look-sheet", args=[production.slug])
    )


@require_POST
@production_view(change=True)
def take_back(request: HttpRequest, production: Production, change: int) -> HttpResponse:
    """Undoes a giving on all its shots at once."""
    take_back_and_say(request, get_object_or_404(SharedChange, pk=change, production=production))
    return redirect("look-sheet", production.slug)
