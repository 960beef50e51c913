"""Giving steps of one shot to many: which steps, which shots, what changes, and one undo for all."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.errors import UpwellingError
from upwelling.web.bench.views import grouped
from upwelling.web.footage.models import SharedChange, shots_of
from upwelling.web.footage.services import share_steps, unshare
from upwelling.web.footage.setting_differences import differences
from upwelling.web.footage.views import shot_for
from upwelling.web.productions.models import Member


@require_GET
def share(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """The page: steps of this shot, all shots that can take them, and how each would change."""
    production, shot = shot_for(request, slug, pk)
    steps = list(shot.settings.steps)
    asked = request.GET.getlist("step")
    chosen = [step for step in steps if step.id in asked] if "asked" in request.GET or asked else list(shot.settings.active)
    picked = set(request.GET.getlist("shot"))
    groups = []
    for camera, shots in grouped(shots_of(production)):
        rows = []
        for other in shots:
            if other.pk == shot.pk or not other.settled.is_settled or not other.is_managed:
                continue
            try:
                changes = differences(other.settings, other.settings.with_steps(chosen)) if chosen else []
            except UpwellingError as error:
                changes = [str(error)]
            rows.append({"shot": other, "changes": changes, "picked": str(other.pk) in picked})
        if rows:
            groups.append((camera, rows))
    return render(request, "bench/share.html", {
        "production": production, "shot": shot, "steps": [(step, step in chosen) for step in steps], "chosen": chosen, "groups": groups,
        "may": production.role_of(request.user) == Member.Role.TECHNICIAN, "past": production.shared_changes.select_related("created_by")[:6],
    })


@require_POST
def give(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Gives the chosen steps to the chosen shots."""
    production, shot = shot_for(request, slug, pk, change=True)
    asked, wanted = set(request.POST.getlist("step")), {int(v) for v in request.POST.getlist("shot") if v.isdigit()}
    steps = [step for step in shot.settings.steps if step.id in asked]
    targets = [other for other in production.shots.filter(pk__in=wanted).exclude(pk=shot.pk) if other.settled.is_settled]
    change = share_steps(production, request.user, shot, steps, targets)
    messages.success(request, f"{change.steps} given to {len(targets)} shot{'s' if len(targets) != 1 else ''}. One undo takes it back from all.")
    return redirect("share", slug, pk)


@require_POST
def take_back(request: HttpRequest, slug: str, pk: int, change: int) -> HttpResponse:
    """Undoes a shared change on all its shots at once."""
    production, _ = shot_for(request, slug, pk, change=True)
    take_back_and_say(request, get_object_or_404(SharedChange, pk=change, production=production))
    return redirect("share", slug, pk)


def take_back_and_say(request: HttpRequest, change: SharedChange) -> None:
    """Undoes a shared change and tells the person from which shots it could not be taken."""
    left = unshare(change)
    if left:
        messages.warning(request, "Taken back, except from shots that were changed since: " + ", ".join(shot.name for shot in left) + ".")
    else:
        messages.success(request, "Taken back from all of its shots.")
