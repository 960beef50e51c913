"""The Queue: all background work of a person's productions, in the order it will be done."""

from __future__ import annotations

from typing import Any, cast

from django.contrib import messages
from django.db.models import Case, IntegerField, Value, When
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.errors import UpwellingError
from upwelling.web.common.access import signed_in
from upwelling.web.common.finding import Choice, Finder, made_by, made_finder
from upwelling.web.common.requests import Refused, whole_or
from upwelling.web.deliveries.rendering import workers_seen
from upwelling.web.jobs.models import Job, Task
from upwelling.web.jobs.services import move, put_in_order, request_cancel, request_pause, request_resume, request_retry
from upwelling.web.jobs.supervisor import NO_WORKER, worker_runs
from upwelling.web.jobs.work import WORK
from upwelling.web.productions.models import Member
from upwelling.web.productions.record import enter
from upwelling.web.productions.rights import roles_that

KINDS = {
    "delivery": "Delivery",
    "bake": "Bake",
    "package": "Package",
    "match": "Matching",
    "split": "Scene changes",
    "give": "Giving a Look",
    "recover": "Recovering a table",
}
OVER, MOST_MOVED = 40, 1000
"""Finished ones that are shown, and numbers that a drag may name."""
State = Job.State


def _listed(request: HttpRequest) -> dict[str, Any]:
    """What the page shows: what runs, waits or is paused, then what is over."""
    user = cast(Any, request.user)
    every = Job.objects.filter(production__members__user=user)
    asked = _finder(request, every)
    mine = every.filter(kind=asked["kind"]) if asked["kind"] else every
    mine = mine.filter(production__slug=asked["production"]) if asked["production"] else mine
    mine = made_by(asked, mine, ("message", "production__name", "created_by__username"), {"": ("pk",)})
    mine = mine.select_related("production", "created_by")
    changes = set(
        Member.objects.filter(user=user, role__in=roles_that("change")).values_list("production_id", flat=True)
    )
    order = Case(
        When(state=State.RUNNING, then=Value(0)),
        When(state=State.WAITING, then=Value(1)),
        default=Value(2),
        output_field=IntegerField(),
    )
    live = list(mine.exclude(state__in=(State.DONE, State.FAILED, State.CANCELLED)).order_by(order, "pk")[:200])
    ranks = dict(Task.objects.filter(job__in=live).values_list("job_id", "rank"))
    live.sort(key=lambda job: (job.state != State.RUNNING, job.state == State.PAUSED, ranks.get(job.pk, 0), job.pk))
    over = mine.filter(state__in=(State.DONE, State.FAILED, State.CANCELLED)).order_by("-finished", "-pk")[:OVER]
    return {
        "finder": asked,
        "live": [_row(job, changes) for job in live],
        "over": [_row(job, changes) for job in over],
        "workers": workers_seen(),
        "problem": "" if worker_runs() and worker_runs("render") else NO_WORKER,
    }


def _finder(request: HttpRequest, every: Any) -> Finder:
    productions = sorted(set(every.order_by().values_list("production__slug", "production__name")))
    return made_finder(
        request.GET,
        every,
        [Choice("kind", "any work", list(KINDS.items())), Choice("production", "any production", productions)],
        (),
        "What a job says, a production, a person",
    )


def _row(job: Job, changes: set[int]) -> dict[str, Any]:
    kind = WORK.get(job.kind)
    owner = kind.owner_of(job) if kind is not None and kind.owner_of is not None else None
    may = job.production_id in changes
    running, waiting, paused = (job.state == one for one in (State.RUNNING, State.WAITING, State.PAUSED))
    left = job.as_json()["remaining_seconds"]
    actions = []
    if may and waiting:
        actions += [("up", "Earlier"), ("down", "Later")]
    if may and (waiting or (running and kind is not None and kind.can_pause and not job.pause_requested)):
        actions.append(("pause", "Pause"))
    if may and paused:
        actions.append(("resume", "Go on"))
    if may and (waiting or running or paused):
        actions.append(("cancel", "Cancel"))
    if may and kind is not None and kind.can_retry and job.state in (State.FAILED, State.CANCELLED) and owner:
        actions.append(("retry", "Try again"))
    return {
        "job": job,
        "kind": KINDS.get(job.kind, job.kind),
        "name": str(owner) if owner is not None else "",
        "page": kind.page(owner) if kind is not None and kind.page is not None and owner is not None else "",
        "left": left,
        "actions": actions,
        "moves": may and waiting,
    }


@require_GET
@signed_in
def show(request: HttpRequest) -> HttpResponse:
    """The page."""
    return render(request, "deliveries/queue.html", {"tab": "queue", **_listed(request)})


@require_GET
@signed_in
def rows(request: HttpRequest) -> HttpResponse:
    """Its changing part alone, asked for again while the page is open."""
    return render(request, "deliveries/queue_rows.html", _listed(request))


@require_POST
@signed_in
def change(request: HttpRequest, pk: int, what: str) -> HttpResponse:
    """Pauses, lets go on, cancels, tries again, or moves a job; technicians of its production only."""
    job = get_object_or_404(
        Job, pk=pk, production__members__user=request.user, production__members__role__in=roles_that("change")
    )
    try:
        if what == "pause":
            request_pause(job)
        elif what == "resume":
            request_resume(job)
        elif what == "retry":
            request_retry(job)
        elif what == "cancel":
            request_cancel(job)
        elif what in ("up", "down"):
            move(job, -1 if what == "up" else 1)
        elif what == "order":
            put_in_order(job, [whole_or(one, -1) for one in request.POST.get("order", "").split(",")[:MOST_MOVED]])
        else:
            raise Refused("Choose what to do with the work.")
        enter(job.production, request.user, f"work in the Queue: {what}", KINDS.get(job.kind, job.kind))
    except UpwellingError as error:
        if request.headers.get("X-Part"):
            return render(request, "deliveries/queue_rows.html", {**_listed(request), "error": str(error)})
        messages.error(request, str(error))
    if request.headers.get("X-Part"):
        return render(request, "deliveries/queue_rows.html", _listed(request))
    return redirect("queue")
