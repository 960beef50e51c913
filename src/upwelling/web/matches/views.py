"""Matching many shots at once: what is to be matched, and the table of what is proposed."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from upwelling.core.count_of import count_of
from upwelling.core.errors import UpwellingError
from upwelling.core.match import BY_ITSELF, METHODS
from upwelling.web.bench.share_views import take_back_and_say
from upwelling.web.common.downloads import FOR_EVER, picture_file
from upwelling.web.common.paging import page_of
from upwelling.web.common.requests import one_of, whole_list, whole_or
from upwelling.web.footage.finding import found, found_all, shot_finder
from upwelling.web.footage.listing import choices, loaded, managed
from upwelling.web.footage.models import SharedChange
from upwelling.web.footage.pictures import thumbnail_file
from upwelling.web.matches.first import FIRST
from upwelling.web.matches.models import MatchProposal, MatchRun
from upwelling.web.matches.services import accept, start_run
from upwelling.web.productions.access import production_view, view_of
from upwelling.web.productions.models import Production

EACH, MOST_RUNS = 60, 8
KINDS = ("shot", "shelf", "neighbour")


def _run(production: Production, pk: int) -> MatchRun:
    run = get_object_or_404(MatchRun.objects.select_related("job", "created_by"), pk=pk, production=production)
    run.production = production
    return run


run_view = view_of(_run)


@require_http_methods(["GET", "POST"])
@production_view(change="POST")
def begin(request: HttpRequest, production: Production) -> HttpResponse:
    """Choosing shots and what they are to sit beside; starting the run."""
    asked = shot_finder(request.GET, production)
    look = found_all if request.method == "POST" else found
    numbers = look(asked, managed(production))
    if request.method == "POST":
        try:
            return redirect("match-run", production.slug, _begun(request, production, numbers).pk)
        except UpwellingError as error:
            messages.error(request, str(error))
            return redirect(request.get_full_path())
    page = page_of(request, numbers, EACH)
    runs = production.match_runs.select_related("job", "created_by")[:MOST_RUNS]
    return render(
        request,
        "matches/begin.html",
        {
            "shots": loaded(production, page.object_list),
            "page": page,
            "finder": asked,
            "methods": [(name, *text.split(": ")) for name, text in METHODS.items() if name in BY_ITSELF],
            "references": choices(managed(production)),
            "shelf": production.references.all(),
            "grouped": production.groups.exists(),
            "runs": [{"run": run, "count": run.proposals.count()} for run in runs],
        },
    )


def _begun(request: HttpRequest, production: Production, numbers: list[int]) -> MatchRun:
    method, wanted = request.POST.get("method", ""), whole_list(request.POST.getlist("shot"))
    if request.POST.get("all") != "on" and (wanted or method != FIRST):
        numbers = [number for number in numbers if number in wanted]
    kind, _, pk = request.POST.get("reference", "").partition(":")
    return start_run(
        production,
        request.user,
        numbers,
        method,
        one_of(kind, KINDS, "neighbour"),
        whole_or(pk),
        set_aside=request.POST.get("own") == "aside",
    )


@require_GET
@run_view()
def run_page(request: HttpRequest, production: Production, run: MatchRun) -> HttpResponse:
    """What is proposed for each shot, with pictures before and after."""
    page = page_of(request, run.proposals.select_related("change", "shot__camera"), EACH)
    shots = {shot.pk: shot for shot in loaded(production, [one.shot_id for one in page.object_list])}
    rows: list[dict[str, Any]] = [{"proposal": one, "shot": shots[one.shot_id]} for one in page.object_list]
    states = list(run.proposals.values_list("state", flat=True))
    changes = SharedChange.objects.filter(pk__in=run.proposals.values("change")).select_related("created_by")
    return render(
        request,
        "matches/run.html",
        {
            "run": run,
            "rows": rows,
            "page": page,
            "counts": [
                (MatchProposal(run=run, state=state).state_said, states.count(state))
                for state in MatchProposal.State
                if states.count(state)
            ],
            "open": any(row["proposal"].may_be_accepted for row in rows),
            "changes": changes,
        },
    )


@require_POST
@run_view(change=True)
def accept_chosen(request: HttpRequest, production: Production, run: MatchRun) -> HttpResponse:
    """Puts the chosen proposals, or one, into their shots."""
    one = whole_or(request.POST.get("one"))
    wanted = {one} if one else whole_list(request.POST.getlist("proposal"))
    if request.POST.get("all") == "on" and not one:
        wanted = {row.pk for row in run.proposals.select_related("change") if row.may_be_accepted}
    try:
        change, left = accept(run, request.user, sorted(wanted))
    except UpwellingError as error:
        messages.error(request, str(error))
    else:
        count = change.states.count()
        messages.success(request, f"Put into {count_of(count, 'shot')}. One undo takes it back from all.")
        for sentence in left:
            messages.warning(request, sentence)
    return redirect("match-run", production.slug, run.pk)


@require_POST
@run_view(change=True)
def take_back(request: HttpRequest, production: Production, run: MatchRun, change: int) -> HttpResponse:
    """Takes what was accepted at once back from all its shots."""
    take_back_and_say(request, get_object_or_404(SharedChange, pk=change, production=production))
    return redirect("match-run", production.slug, run.pk)


@require_GET
@run_view()
def picture(request: HttpRequest, production: Production, run: MatchRun, proposal: int) -> FileResponse:
    """A shot's small picture as it would be."""
    row = get_object_or_404(run.proposals.select_related("shot__camera"), pk=proposal)
    if row.settings is None:
        raise Http404
    row.shot.production = production
    return picture_file(thumbnail_file(row.shot, settings_shown=row.proposed), FOR_EVER)
