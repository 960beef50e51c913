"""Splitting a long movie: the page with its changes, and making the shots."""

from __future__ import annotations

import json

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.errors import UpwellingError
from upwelling.core.scene_cuts import SHORTEST, THRESHOLD
from upwelling.web.footage.models import SplitPlan
from upwelling.web.footage.splits import plan_split, split
from upwelling.web.footage.views import shot_for


@require_GET
def split_page(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """The changes found so far, with the threshold and the list of cuts."""
    production, shot = shot_for(request, slug, pk)
    plan = SplitPlan.objects.select_related("job").filter(shot=shot).first()
    return render(request, "footage/split.html", {
        "production": production, "shot": shot, "role": production.role_of(request.user), "plan": plan,
        "data": {"strengths": plan.strengths if plan else [], "threshold": THRESHOLD, "shortest": SHORTEST, "rate": shot.rate},
    })


@require_POST
def look_for_cuts(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Starts the search in the background."""
    _, shot = shot_for(request, slug, pk, change=True)
    try:
        plan_split(shot, request.user)
    except UpwellingError as error:
        messages.error(request, str(error))
    return redirect("split", slug, pk)


@require_POST
def make_shots(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Makes shots at the cuts that the page lists."""
    _, shot = shot_for(request, slug, pk, change=True)
    try:
        cuts = [int(frame) for frame in json.loads(request.POST.get("cuts", "[]"))]
        made = split(shot, request.user, cuts)
    except UpwellingError as error:
        messages.error(request, str(error))
        return redirect("split", slug, pk)
    except (ValueError, TypeError):
        messages.error(request, "The list of cuts could not be read. Reload the page and try again.")
        return redirect("split", slug, pk)
    messages.success(request, f"{shot.name.rsplit(', part', 1)[0]} is now {len(made)} shots.")
    return redirect("intake", slug)
