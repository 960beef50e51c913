"""The first pass: choosing shots and controls, and what is said of each shot on the way."""

from __future__ import annotations

from typing import Any, get_args

from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from upwelling.core.errors import UpwellingError
from upwelling.web.bench.first_pass import CONTROLS, USUAL, begin, pass_of, say, standing_of, summary_of
from upwelling.web.bench.models import FirstPass, Said
from upwelling.web.common.paging import page_of
from upwelling.web.common.requests import json_body, one_of, whole_or
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.finding import found, found_all, shot_finder
from upwelling.web.footage.listing import loaded
from upwelling.web.footage.models import Shot
from upwelling.web.productions.access import production_view
from upwelling.web.productions.models import Production

EACH = 60


def _begun_by(request: HttpRequest, production: Production) -> FirstPass:
    """The person's pass; Http404 where they began none."""
    walk = pass_of(production, request.user)
    if walk is None:
        raise Http404
    return walk


@require_http_methods(["GET", "POST"])
@production_view(change="POST")
def first_pass(request: HttpRequest, production: Production) -> HttpResponse:
    """Choosing shots and controls; beginning, or going on with what was begun."""
    finder = shot_finder(request.GET, production)
    if request.method == "POST":
        return _begun(request, production, found_all(finder, production.shots.all()))
    page = page_of(request, found(finder, production.shots.all()), EACH)
    walk = pass_of(production, request.user)
    summary = summary_of(walk) if walk else None
    return render(
        request,
        "bench/pass_begin.html",
        {
            "shots": loaded(production, page.object_list),
            "page": page,
            "finder": finder,
            "controls": [(name, row[0]) for name, row in CONTROLS.items()],
            "usual": walk.controls if walk else USUAL,
            "walk": walk,
            "standing": standing_of(walk, 0) if walk else None,
            "summary": summary,
            "parts": [("Put off:", summary["later"]), ("Could not be worked at:", summary["cannot"])]
            if summary
            else [],
        },
    )


def _begun(request: HttpRequest, production: Production, numbers: list[int]) -> HttpResponse:
    form = request.POST
    try:
        if form.get("on") == "yes":
            walk = _begun_by(request, production)
            FirstPass.objects.filter(pk=walk.pk).update(is_open=True)
        else:
            chosen = [whole_or(text) for text in form.getlist("shot")] or numbers
            there = set(production.shots.filter(pk__in=chosen).values_list("pk", flat=True))
            walk = begin(
                production, request.user, [pk for pk in chosen if pk in there], form.getlist("control") or USUAL
            )
    except UpwellingError as error:
        messages.error(request, str(error))
        return redirect("first-pass", production.slug)
    first = walk.next_after(0)
    if first is None:
        messages.info(request, "Every shot of the first pass was gone through.")
        return redirect("first-pass", production.slug)
    return redirect("bench", production.slug, first)


@require_POST
@shot_view(change=True)
def say_of(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Good, or later; where the pass stands then."""
    walk = _begun_by(request, production)
    said: Said = one_of(json_body(request, "answer").get("said"), get_args(Said), "later")
    return JsonResponse(standing_of(say(walk, shot, said), shot.pk))


@require_GET
@production_view()
def pass_summary(request: HttpRequest, production: Production) -> HttpResponse:
    """What was put off, what is left, and what could not be worked at."""
    return JsonResponse(summary_of(_begun_by(request, production)))


@require_POST
@production_view(change=True)
def leave_pass(request: HttpRequest, production: Production) -> HttpResponse:
    """Leaves the pass as it stands; it can be gone on with."""
    user: Any = request.user
    FirstPass.objects.filter(production=production, user=user).update(is_open=False)
    return JsonResponse({})
