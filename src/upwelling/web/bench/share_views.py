"""Giving steps of one shot to many: which steps, which shots, what changes, and one undo for all."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.count_of import count_of
from upwelling.core.errors import UpwellingError
from upwelling.web.bench.strip import grouped
from upwelling.web.common.paging import page_of
from upwelling.web.common.requests import one_of, whole_list
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.finding import found, found_all, shot_finder
from upwelling.web.footage.history import share_steps, unshare
from upwelling.web.footage.listing import loaded, managed
from upwelling.web.footage.models import SharedChange, Shot
from upwelling.web.footage.setting_differences import differences
from upwelling.web.footage.shot_settings import WAYS, Way
from upwelling.web.productions.models import Production


@require_GET
@shot_view()
def share(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The page: steps of this shot, all shots that can take them, and how each would change."""
    steps = list(shot.settings.steps)
    asked = request.GET.getlist("step")
    chosen = (
        [step for step in steps if step.id in asked] if "asked" in request.GET or asked else list(shot.settings.active)
    )
    picked = set(request.GET.getlist("shot"))
    way: Way = one_of(request.GET.get("way"), tuple(WAYS), "replace")
    groups = []
    asked_for = shot_finder(request.GET, production)
    page = page_of(request, found(asked_for, managed(production).exclude(pk=shot.pk)))
    for camera, shots in grouped(loaded(production, page.object_list)):
        rows = []
        for other in shots:
            try:
                changes = differences(other.settings, other.settings.with_steps(chosen, way)) if chosen else []
            except UpwellingError as error:
                changes = [str(error)]
            rows.append({"shot": other, "changes": changes, "picked": str(other.pk) in picked})
        if rows:
            groups.append((camera, rows))
    return render(
        request,
        "bench/share.html",
        {
            "shot": shot,
            "steps": [(step, step in chosen) for step in steps],
            "chosen": chosen,
            "ways": WAYS.items(),
            "way": way,
            "groups": groups,
            "page": page,
            "finder": asked_for,
            "any": managed(production).exclude(pk=shot.pk).exists(),
            "past": production.shared_changes.select_related("created_by")[:6],
        },
    )


@require_POST
@shot_view(change=True)
def give(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Gives the chosen steps to the chosen shots, or to all that are found by what the page was asked for."""
    asked, wanted = set(request.POST.getlist("step")), whole_list(request.POST.getlist("shot"))
    steps = [step for step in shot.settings.steps if step.id in asked]
    if request.POST.get("all") == "on":
        wanted = set(found_all(shot_finder(request.POST, production), managed(production)))
    targets = [
        other for other in production.shots.filter(pk__in=wanted).exclude(pk=shot.pk) if other.settled.is_settled
    ]
    way: Way = one_of(request.POST.get("way"), tuple(WAYS), "replace")
    change = share_steps(production, request.user, shot, steps, targets, way)
    messages.success(
        request, f"{change.steps} given to {count_of(len(targets), 'shot')}. One undo takes it back from all."
    )
    return redirect("share", production.slug, shot.pk)


@require_POST
@shot_view(change=True)
def take_back(request: HttpRequest, production: Production, shot: Shot, change: int) -> HttpResponse:
    """Undoes a shared change on all its shots at once."""
    take_back_and_say(request, get_object_or_404(SharedChange, pk=change, production=production))
    return redirect("share", production.slug, shot.pk)


def take_back_and_say(request: HttpRequest, change: SharedChange) -> None:
    """Undoes a shared change and tells the person from which shots it could not be taken."""
    left = unshare(change)
    if left:
        messages.warning(
            request,
            "Taken back, except from shots that were changed since: " + ", ".join(shot.name for shot in left) + ".",
        )
    else:
        messages.success(request, "Taken back from all of its shots.")
