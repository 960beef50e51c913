"""The cuts of a production, and the page of one: its events and what they are of."""

from __future__ import annotations

import json
from pathlib import Path as FilePath
from typing import Any

from django.contrib import messages
from django.db.models import Count, Q
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from upwelling.core.count_of import count_of
from upwelling.core.cut.changes import compare
from upwelling.core.cut.match import SAID, SETTLED
from upwelling.core.errors import UpwellingError
from upwelling.web.bench.share_views import take_back_and_say
from upwelling.web.common.paging import page_of
from upwelling.web.common.requests import Refused, typed_number, whole_or
from upwelling.web.common.uploads import on_disk
from upwelling.web.cuts.models import Cut, CutEvent
from upwelling.web.cuts.services import FOUND, TAKEN, bring_in_cut, match_again, settle_event, take_corrections
from upwelling.web.footage.listing import choices, loaded
from upwelling.web.footage.models import Shot
from upwelling.web.productions.access import production_view, view_of
from upwelling.web.productions.models import Production
from upwelling.web.productions.remarks import open_on

EACH, LARGEST = 60, 32 * 2**20
ENDINGS = (".edl", ".otio")


def _cut(production: Production, pk: int) -> Cut:
    cut = get_object_or_404(Cut, pk=pk, production=production)
    cut.production = production
    return cut


cut_view = view_of(_cut)


@require_http_methods(["GET", "POST"])
@production_view(change="POST")
def cuts(request: HttpRequest, production: Production) -> HttpResponse:
    """The list; bringing one in."""
    if request.method == "POST":
        try:
            return redirect("cut", production.slug, _brought_in(request, production).pk)
        except UpwellingError as error:
            messages.error(request, str(error))
            return redirect("cuts", production.slug)
    rows = production.cuts.select_related("created_by").annotate(
        count=Count("events"), lost=Count("events", filter=~Q(events__state__in=SETTLED))
    )
    return render(request, "cuts/cuts.html", {"rows": rows})


def _brought_in(request: HttpRequest, production: Production) -> Cut:
    uploaded = request.FILES.get("file")
    if uploaded is None:
        raise Refused("Choose an edit list (.edl) or an OpenTimelineIO file (.otio).")
    name = (uploaded.name or "cut.edl")[-200:]
    suffix = FilePath(name).suffix.lower()
    if suffix not in ENDINGS:
        raise Refused(f"A cut comes from .edl or .otio; {name} is neither.")
    if (uploaded.size or 0) > LARGEST:
        raise Refused(f"{name} is larger than {LARGEST // 2**20} MiB.")
    said = request.POST.get("rate", "").strip()
    rate = typed_number(said, "Frames a second") if said else 0.0
    if rate and not 1 <= rate <= 1000:
        raise Refused("Frames a second are between 1 and 1000.")
    with on_disk(uploaded, suffix) as place:
        return bring_in_cut(production, request.user, name, place, rate)


@require_GET
@cut_view()
def cut_page(request: HttpRequest, production: Production, cut: Cut) -> HttpResponse:
    """Events in order and what each is of; ``?state=`` shows some, ``?with=`` compares with an older cut."""
    events = cut.events.all()
    state = request.GET.get("state", "")
    shown = events.filter(state=state) if state in SAID else events
    page = page_of(request, shown, EACH)
    shots = {shot.pk: shot for shot in loaded(production, [one.shot_id for one in page.object_list if one.shot_id])}
    asked = open_on(production, "shot", list(shots))
    others = [other for other in production.cuts.all()[:60] if other.pk != cut.pk]
    older = next((other for other in others if str(other.pk) == request.GET.get("with", "")), None)
    counts = dict(events.order_by().values_list("state").annotate(Count("pk")))
    return render(
        request,
        "cuts/cut.html",
        {
            "cut": cut,
            "rows": [_row(one, shots, asked) for one in page.object_list],
            "page": page,
            "state": state if state in SAID else "",
            "counts": [(name, title, counts[name]) for name, title in SAID.items() if counts.get(name)],
            "total": events.count(),
            "in_order": dict.fromkeys(events.filter(state=FOUND).exclude(shot=None).values_list("shot", flat=True)),
            "choices": choices(production.shots.all()),
            "others": others,
            "older": older,
            "changes": _changes(older, cut) if older else [],
            "corrections": events.filter(cdl__isnull=False, state=FOUND, shot__isnull=False).count(),
            "past": production.shared_changes.filter(source=cut.name, steps=TAKEN)[:3],
        },
    )


def _row(one: CutEvent, shots: dict[int, Shot], asked: dict[int, int]) -> dict[str, Any]:
    event = one.event
    return {
        "one": one,
        "shot": shots.get(one.shot_id or 0),
        "asked": asked.get(one.shot_id or 0, 0),
        "source": f"{event.label(event.start)} – {event.label(event.start + event.frames)}",
        "record": f"{event.label(event.record)} – {event.label(event.record + event.record_frames)}",
        "said": SAID.get(one.state, one.state),  # type: ignore[call-overload]
        "speed": "" if one.speed == 1 else f"{one.speed * 100:.0f} % speed" if one.speed else "stands still",
    }


def _changes(older: Cut, cut: Cut) -> list[dict[str, Any]]:
    """What differs from an older cut, without what stayed."""
    made = compare([row.event for row in older.events.all()], [row.event for row in cut.events.all()])
    return [
        {
            "kind": one.kind,
            "said": one.summary,
            "number": one.new.number if one.new else f"was {one.old.number}" if one.old else "",
            "name": next((e.name or e.file or e.reel for e in (one.new, one.old) if e), ""),
        }
        for one in made
        if one.kind != "same"
    ]


@require_GET
@cut_view()
def play(request: HttpRequest, production: Production, cut: Cut) -> HttpResponse:
    """The cut as one picture, event after event, as its shots are saved now."""
    found = list(cut.events.filter(state=FOUND).exclude(shot=None))
    shots = {shot.pk: shot for shot in loaded(production, [one.shot_id for one in found if one.shot_id])}
    rows = [(one, shots[one.shot_id]) for one in found if one.shot_id in shots and one.first is not None]
    events = [
        {
            "number": one.number,
            "name": shot.name,
            "shot": shot.pk,
            "first": one.first,
            "frames": min(one.record_frames, shot.last_frame - (one.first or 0) + 1),
            "record": one.event.label(one.record),
            "motion": reverse("motion", args=[production.slug, shot.pk]),
            "bench": f"{reverse('bench', args=[production.slug, shot.pk])}?frame={one.first}"
            f"&cut={cut.pk}&event={one.number}",
        }
        for one, shot in rows
    ]
    return render(
        request,
        "cuts/play.html",
        {
            "cut": cut,
            "rows": rows,
            "events": json.dumps(events),
            "missing": cut.events.count() - len(rows),
            "retimed": ", ".join(str(one.number) for one, _ in rows if one.speed != 1),
        },
    )


@require_POST
@cut_view(change=True)
def change(request: HttpRequest, production: Production, cut: Cut) -> HttpResponse:
    """Looks for the events anew, takes the list's corrections over or back, or removes the cut."""
    what = request.POST.get("what")
    try:
        if what == "again":
            count = match_again(cut)
            messages.success(request, f"Looked again: {count_of(count, 'event')} changed.")
        elif what == "corrections":
            made, left = take_corrections(cut, request.user)
            count = made.states.count()
            messages.success(request, f"ASC CDLs are in the trims of {count_of(count, 'shot')}.")
            for sentence in left:
                messages.warning(request, sentence)
        elif what == "back":
            taken = production.shared_changes.filter(pk=whole_or(request.POST.get("change")), source=cut.name).first()
            if taken is None:
                raise Refused("That is no longer there to be taken back.")
            take_back_and_say(request, taken)
        elif what == "remove":
            cut.delete()
            messages.success(request, f"{cut.name} is removed. Shots and trims stay as they are.")
            return redirect("cuts", production.slug)
        else:
            raise Refused("Choose what to do with the cut.")
    except UpwellingError as error:
        messages.error(request, str(error))
    return redirect("cut", production.slug, cut.pk)


@require_POST
@cut_view(change=True)
def settle(request: HttpRequest, production: Production, cut: Cut, event: int) -> HttpResponse:
    """Says which shot an event is of."""
    row = get_object_or_404(cut.events, pk=event)
    row.cut = cut
    said, first = request.POST.get("shot", ""), request.POST.get("first", "").strip()
    try:
        shot = get_object_or_404(production.shots, pk=whole_or(said)) if said else None
        settle_event(row, shot, whole_or(first, -1) if first else None)
    except UpwellingError as error:
        messages.error(request, str(error))
    back = request.POST.get("back", "")
    if back.startswith(f"/p/{production.slug}/cuts/"):
        return redirect(f"{back}#e{row.pk}")
    return redirect("cut", production.slug, cut.pk)
