"""Showings for those who make them: the list, making one, who opened it, ending it."""

from __future__ import annotations

import datetime
from typing import Any

from django.contrib import messages
from django.db.models import Count
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.utils.http import urlencode
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from upwelling.core.errors import UpwellingError
from upwelling.web.common.finding import Choice, made_by, made_finder
from upwelling.web.common.paging import page_of
from upwelling.web.common.requests import Refused, one_of, whole_list, whole_or
from upwelling.web.footage.listing import choices, loaded
from upwelling.web.productions.access import production_view
from upwelling.web.productions.models import Production
from upwelling.web.showings.access import showing_view
from upwelling.web.showings.models import Showing
from upwelling.web.showings.services import BEFORE, Asked, Terms, give_until, make_showing, of_cut, withdraw

EACH = 40
USUAL = datetime.timedelta(days=14)
"""How long a showing lasts where nobody said otherwise."""
_OVER = {"open": False, "over": True}


@require_GET
@production_view()
def showings(request: HttpRequest, production: Production) -> HttpResponse:
    """All of a production, the newest first."""
    every = production.showings.annotate(people=Count("visitors", distinct=True), many=Count("items", distinct=True))
    states = Choice("state", "open or over", (("open", "open"), ("over", "over")))
    asked = made_finder(request.GET, every, [states], (("new", "newest"), ("name", "name")), "Name of a showing")
    orders = {"new": ("-pk",), "name": ("name", "-pk")}
    rows: Any = made_by(asked, every, ("name", "note", "cut__name"), orders)
    open_now = rows.filter(withdrawn=None, ends__gt=timezone.now())
    if asked["state"]:
        rows = rows.exclude(pk__in=open_now.values("pk")) if _OVER[asked["state"]] else open_now
    page = page_of(request, rows.select_related("created_by", "cut"), EACH)
    return render(request, "showings/showings.html", {"page": page, "rows": page.object_list, "finder": asked})


@require_http_methods(["GET", "POST"])
@production_view(change="POST")
def new(request: HttpRequest, production: Production) -> HttpResponse:
    """What is to be shown, in which states, to whom and how long."""
    given = request.POST if request.method == "POST" else request.GET
    if request.method == "POST" and "name" in given:
        try:
            made = _made(request, production)
            messages.success(request, f"{made.name} is made. Its stills come one by one; the link holds from now on.")
            request.about = str(made)  # type: ignore[attr-defined]
            return redirect("showing-kept", production.slug, made.pk)
        except UpwellingError as error:
            messages.error(request, str(error))
    cut = production.cuts.filter(pk=whole_or(given.get("cut"))).first()
    numbers = whole_list(given.getlist("shot"))
    shots = loaded(production, sorted(numbers)) if numbers and cut is None else []
    first = "name" not in given
    like = production.showings.filter(pk=whole_or(given.get("after"))).first() if first else None
    frames = _frames_of(like)
    rows = [
        {
            "shot": shot,
            "marks": shot.marks.all()[:12],
            "frames": given.get(f"frames-{shot.pk}") or frames.get(shot.pk) or str(shot.frame),
            "chosen": whole_list(given.getlist(f"mark-{shot.pk}")),
        }
        for shot in shots
    ]
    events: list[Any] = []
    left: list[str] = []
    if cut is not None:
        cut.production = production
        found, left = of_cut(cut)
        events = [{"event": one.event, "shot": one.shot, "said": one.shot.frame_said(one.frame)} for one in found]
    page = {
        "cut": cut,
        "cuts": production.cuts.all()[:60],
        "rows": rows,
        "events": events,
        "left": left,
        "choices": choices(production.shots.all()) if cut is None and not rows else [],
        "outputs": production.rule_set.outputs,
        "earlier": production.showings.all()[:60],
        "ends": given.get("ends") or f"{timezone.localdate() + USUAL:%Y-%m-%d}",
        "soonest": f"{timezone.localdate() + datetime.timedelta(days=1):%Y-%m-%d}",
        "given": given,
        "name": given.get("name", cut.name if cut else ""),
        "note": like.note if like else given.get("note", ""),
        "output": like.output if like else given.get("output", ""),
        "says": like.remarks_allowed if like else first or "remarks" in given,
        "saves": like.downloads_allowed if like else "downloads" in given,
        "bare": like.items.filter(states__name=BEFORE).exists() if like else "before" in given,
        "movie": first or "movie" in given,
    }
    return render(request, "showings/new.html", page)


def _frames_of(showing: Showing | None) -> dict[int, str]:
    """The frames that an earlier showing had of each shot, as they are typed."""
    found: dict[int, list[str]] = {}
    for shot, frame in showing.items.exclude(shot=None).values_list("shot", "frame") if showing else ():
        found.setdefault(shot, []).append(str(frame))
    return {shot: ", ".join(numbers) for shot, numbers in found.items()}


def _made(request: HttpRequest, production: Production) -> Showing:
    given = request.POST
    terms = Terms(
        name=" ".join(given.get("name", "").split())[:120],
        note=given.get("note", "").strip()[:500],
        output=one_of(given.get("output"), production.rule_set.outputs, production.rule_set.outputs[0]),
        ends=end_of(given.get("ends", "")),
        phrase=given.get("phrase", "")[:100],
        remarks="remarks" in given,
        downloads="downloads" in given,
        before="before" in given,
        movie="movie" in given,
        after=production.showings.filter(pk=whole_or(given.get("after"))).first(),
    )
    cut = production.cuts.filter(pk=whole_or(given.get("cut"))).first()
    if cut is not None:
        cut.production = production
        asked, left = of_cut(cut)
        return make_showing(production, request.user, terms, asked, cut, left)
    asked = []
    for shot in loaded(production, sorted(whole_list(given.getlist("shot")))):
        marks = tuple(sorted(whole_list(given.getlist(f"mark-{shot.pk}"))))
        for frame in _frames(given.get(f"frames-{shot.pk}", ""), shot):
            asked.append(Asked(shot, frame, marks))
    return make_showing(production, request.user, terms, asked)


def _frames(said: str, shot: Any) -> list[int]:
    """The frames that somebody typed; raises Refused for what the shot has not."""
    numbers = [whole_or(part, -1) for part in said.replace(",", " ").split()] or [shot.frame]
    for number in numbers:
        if not shot.first_frame <= number <= shot.last_frame:
            raise Refused(
                f"{shot.name} has frames {shot.first_frame} to {shot.last_frame}; say which, with commas between."
            )
    return list(dict.fromkeys(numbers))


def end_of(day: str) -> datetime.datetime:
    """The last moment of a day, as a date field sends it; raises Refused."""
    try:
        date = datetime.date.fromisoformat(day)
    except ValueError:
        raise Refused("Say the day on which the showing ends.") from None
    return timezone.make_aware(datetime.datetime.combine(date, datetime.time(23, 59, 59)))


@require_GET
@showing_view()
def kept(request: HttpRequest, production: Production, showing: Showing) -> HttpResponse:
    """One showing: its link, how far it is, who opened it, what was said, what was changed since the one before."""
    items = list(showing.items.select_related("shot", "movie__job", "earlier").prefetch_related("states"))
    remarks = production.remarks.filter(of_guest__item__showing=showing, thread=None)
    page = {
        "showing": showing,
        "link": request.build_absolute_uri(showing.address),
        "items": items,
        "again": _again(showing, items),
        "movies": _movies(items),
        "progress": _progress(showing, items),
        "visitors": showing.visitors.all()[:100],
        "remarks": remarks.select_related("created_by", "answered_by"),
        "ends": f"{timezone.localtime(showing.ends):%Y-%m-%d}",
        "soonest": f"{timezone.localdate() + datetime.timedelta(days=1):%Y-%m-%d}",
    }
    return render(request, "showings/showing.html", page)


def _again(showing: Showing, items: list[Any]) -> str:
    """What the form of a showing that follows this one is asked with."""
    shots = dict.fromkeys(item.shot_id for item in items if item.shot_id)
    what: dict[str, Any] = {"cut": showing.cut_id} if showing.cut_id else {"shot": list(shots)}
    return urlencode({"after": showing.pk, **what}, doseq=True)


@require_GET
@showing_view()
def state(request: HttpRequest, production: Production, showing: Showing) -> HttpResponse:
    """How far it is, for its page."""
    return JsonResponse(_progress(showing, list(showing.items.select_related("movie__job").prefetch_related("states"))))


def _movies(items: list[Any]) -> list[Any]:
    """The movies of items, each once."""
    return list({item.movie.pk: item.movie for item in items if item.movie is not None}.values())


def _progress(showing: Showing, items: list[Any]) -> dict[str, Any]:
    states = [one for item in items for one in item.states.all()]
    made = sum(one.made is not None for one in states)
    worst = max((row["codes_off"] for one in states for row in (one.made or {}).values()), default=0.0)
    problems = [f"{one.item.name}, {one.name}: {one.problem}" for one in states if one.problem]
    movies = _movies(items)
    waits = [row for row in movies if row.job is not None and not row.job.is_over]
    said = f"{made} of {len(states)} stills made"
    if made:
        said += f", each pixel within {worst:.2f} codes of the exact path"
    over = made + len(problems) == len(states) and not waits
    return {"said": said, "problems": problems, "over": over, "movies": len(movies), "waiting": len(waits)}


@require_POST
@showing_view(change=True)
def change(request: HttpRequest, production: Production, showing: Showing) -> HttpResponse:
    """Withdraws it, gives it another end, or removes it."""
    what = request.POST.get("what")
    try:
        if what == "withdraw":
            withdraw(showing)
            messages.success(request, "It is withdrawn: its link opens nothing any more.")
        elif what == "until":
            give_until(showing, end_of(request.POST.get("ends", "")))
            messages.success(request, f"Its link holds until {timezone.localtime(showing.ends):%d %b %Y}.")
        elif what == "remove":
            withdraw(showing)
            showing.delete()
            messages.success(request, f"{showing.name} is removed. What was said stays with its shots.")
            return redirect("showings", production.slug)
        else:
            raise Refused("Choose what to do with the showing.")
    except UpwellingError as error:
        messages.error(request, str(error))
    return redirect("showing-kept", production.slug, showing.pk)
