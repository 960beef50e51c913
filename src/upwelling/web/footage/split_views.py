"""Splitting a long movie: the page with its changes, and making the shots."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.count_of import count_of
from upwelling.core.errors import UpwellingError
from upwelling.core.measure.scene_cuts import SHORTEST, THRESHOLD
from upwelling.core.strict_json import BadJson, read_json
from upwelling.web.common.requests import LARGEST_BODY, MOST_VALUES, Refused, list_of, whole
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.models import Shot, SplitPlan
from upwelling.web.footage.splits import plan_split, split
from upwelling.web.productions.models import Production


@require_GET
@shot_view()
def split_page(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The changes found so far, with the threshold and the list of cuts."""
    plan = SplitPlan.objects.select_related("job").filter(shot=shot).first()
    return render(
        request,
        "footage/split.html",
        {
            "shot": shot,
            "plan": plan,
            "data": {
                "strengths": plan.strengths if plan else [],
                "threshold": THRESHOLD,
                "shortest": SHORTEST,
                "rate": shot.runs_at,
                "timecodes": [shot.timecode(frame) for frame in range(len(plan.strengths) if plan else 0)],
            },
        },
    )


@require_POST
@shot_view(change=True)
def look_for_cuts(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Starts the search in the background."""
    try:
        plan_split(shot, request.user)
    except UpwellingError as error:
        messages.error(request, str(error))
    return redirect("split", production.slug, shot.pk)


def _cuts(text: str) -> list[int]:
    """Frame numbers within the shot; raises Refused."""
    try:
        return [whole(frame) for frame in list_of(read_json(text, largest=LARGEST_BODY, most=MOST_VALUES))]
    except (BadJson, Refused):
        raise Refused("The list of cuts could not be read. Reload the page and try again.") from None


@require_POST
@shot_view(change=True)
def make_shots(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Makes shots at the cuts that the page lists."""
    try:
        made = split(shot, request.user, _cuts(request.POST.get("cuts", "[]")))
    except UpwellingError as error:
        messages.error(request, str(error))
        return redirect("split", production.slug, shot.pk)
    messages.success(request, f"{shot.name.rsplit(', part', 1)[0]} is now {count_of(len(made), 'shot')}.")
    return redirect("intake", production.slug)
