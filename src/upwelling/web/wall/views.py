"""The wall: its page, what it is told of its frames, pictures, and the sheet made of it."""

from __future__ import annotations

import json
from typing import Any, get_args

from django.http import FileResponse, Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.utils import timezone
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.match.first import MarkKind
from upwelling.web.common.downloads import FOR_EVER, picture_file
from upwelling.web.common.finding import Finder
from upwelling.web.common.lanes import Lane
from upwelling.web.common.requests import json_body, list_of, one_of, text_of, whole, whole_or
from upwelling.web.common.standing import standing
from upwelling.web.cuts.models import Cut
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.finding import shot_finder
from upwelling.web.footage.listing import managed
from upwelling.web.footage.models import Shot
from upwelling.web.productions.access import production_view
from upwelling.web.productions.models import Production
from upwelling.web.productions.rights import may
from upwelling.web.wall.answers import answer
from upwelling.web.wall.cards import MOST_CARDS, sheet_of
from upwelling.web.wall.making import Wall, wall_of
from upwelling.web.wall.moves import CONTROLS
from upwelling.web.wall.showing import MODES, MOST_ROWS, MOST_SIDE_BY_SIDE, Place, offered, places, show_of
from upwelling.web.wall.tiles import is_made, place_of

MOST_TILES = MOST_ROWS * MOST_SIDE_BY_SIDE
SHEETS = Lane(2)
REGIONS = ("", *get_args(MarkKind))


@require_GET
@production_view()
def wall(request: HttpRequest, production: Production) -> HttpResponse:
    """Shots asked for as any list is, or a cut's events in order; what is shown of each stands in the address too."""
    asked, cut = _asked(request, production)
    show, rows = show_of(request.GET, production), _places(request, production, asked, cut)
    names = dict(production.shots.values_list("pk", "name"))
    data = {
        "places": [[one.shot, one.frame, one.event, names.get(one.shot, "")] for one in rows],
        "show": show.as_json(),
        "titles": [one.title for one in show.columns],
        "region": one_of(request.GET.get("region"), REGIONS, ""),
        "controls": {name: {"title": one.title, "by": one.by, "digits": one.digits} for name, one in CONTROLS.items()},
        "changes": may(request, "change"),
        "urls": {
            name: reverse(f"wall-{name}", args=[production.slug])
            for name in ("tiles", "ready", "try", "move", "match", "proposed", "accept", "back")
        },
        "bench": reverse("bench", args=[production.slug, 0]),
        "cut": cut.pk if cut else 0,
    }
    context = {
        "data": json.dumps(data),
        "count": len(rows),
        "finder": asked,
        "show": show,
        "modes": MODES.items(),
        "offered": offered(production, show.mode),
        "picked": {one.key for one in show.columns},
        "outputs": offered(production, "outputs"),
        "cuts": production.cuts.all()[:60],
        "cut": cut,
        "controls": CONTROLS.items(),
        "regions": [(kind, f"on {kind}") for kind in get_args(MarkKind)],
        "region": data["region"],
        "only": request.GET.get("only", ""),
        "unsettled": production.shots.count() - managed(production).count(),
        "query": request.GET.urlencode(),
        **_giving(production, show.mode),
    }
    return render(request, "wall/wall.html", context)


def _asked(request: HttpRequest, production: Production) -> tuple[Finder, Cut | None]:
    """What is looked for, in the order of scenes where there are groups; and the cut."""
    number = whole_or(request.GET.get("cut"))
    cut = get_object_or_404(Cut, pk=number, production=production) if number else None
    return shot_finder(request.GET, production, "group" if production.groups.exists() else "camera"), cut


def _places(request: HttpRequest, production: Production, asked: Finder, cut: Cut | None) -> list[Place]:
    """What stands on the wall; of it only the shots that the address names, where it does."""
    only = {whole_or(part, -1) for part in request.GET.get("only", "").split(".") if part}
    return [one for one in places(production, asked, cut) if not only or one.shot in only]


def _giving(production: Production, mode: str) -> dict[str, Any]:
    """What is wanted for giving a Look to many, where Looks stand side by side."""
    if mode != "looks":
        return {}
    past = production.shared_changes.filter(source="the Looks page").select_related("created_by", "job")[:4]
    return {"groups": production.groups.all(), "past": past}


@require_GET
@production_view()
def sheet(request: HttpRequest, production: Production) -> HttpResponse:
    """What the page's address shows, as pages of a PDF or one PNG (``?as=``); what is not made yet is made for it."""
    asked, cut = _asked(request, production)
    rows, show = _places(request, production, asked, cut), show_of(request.GET, production)
    region, as_png = one_of(request.GET.get("region"), REGIONS, ""), request.GET.get("as") == "png"
    when = f"{timezone.localtime():%-d %B %Y, %H:%M}"
    title = " · ".join(filter(None, (production.name, cut.name if cut else "", show.output, when)))
    with SHEETS.turn(request.user.pk or 0):
        body = sheet_of(Wall(production, show, rows[:MOST_CARDS]), rows, region, title, as_png=as_png)
    ending, kind = ("png", "image/png") if as_png else ("pdf", "application/pdf")
    name = content_disposition_header(True, f"{production.slug} wall.{ending}")
    return HttpResponse(body, content_type=kind, headers={"Content-Disposition": name})


@require_POST
@production_view(often=True)
def tiles(request: HttpRequest, production: Production) -> JsonResponse:
    """Of the frames that a page names: pictures that are made, figures, and what does not belong."""
    body = json_body(request, "wall")
    asked = {name: body.get(name) for name in ("places", "chosen", "joins", "by", "column", "output", "strength")}
    region = one_of(body.get("region"), REGIONS, "")
    key = ("wall", request.user.pk, production.pk, json.dumps([asked, region]))
    kept: list[dict[str, Any]] = standing(key, lambda: {"kept": []})["kept"]
    if not kept:
        told = answer(wall_of(production, asked), request.user, asked, region)
        if told["missing"] or told["apart"]:  # what is made aside is no change of the database
            return JsonResponse(told)
        kept.append(told)
    return JsonResponse(kept[0])


@require_POST
@production_view(often=True)
def ready(request: HttpRequest, production: Production) -> JsonResponse:
    """Which of the tiles that a page waits for (shot, frame, key) are made: asked many times a second."""
    rows = [list_of(row) for row in list_of(json_body(request, "wall").get("tiles"))[:MOST_TILES]]
    named = [(whole(row[0]), whole(row[1]), text_of(row[2])) for row in rows if len(row) == 3]
    shots = {shot.pk: shot for shot in production.shots.filter(pk__in={pk for pk, _, _ in named}).only("sha256")}
    return JsonResponse({"made": [pk in shots and is_made(shots[pk], frame, key) for pk, frame, key in named]})


def _picture(shot: Shot, frame: int, key: str, what: str) -> FileResponse:
    if not is_made(shot, frame, key):
        raise Http404
    return picture_file(place_of(shot, frame, key, f"{what}.jpg"), FOR_EVER)


@require_GET
@shot_view(often=True)
def picture(request: HttpRequest, production: Production, shot: Shot, frame: int, key: str) -> FileResponse:
    """A tile's picture, which its key names for ever."""
    return _picture(shot, frame, key, "picture")


@require_GET
@shot_view(often=True)
def parade(request: HttpRequest, production: Production, shot: Shot, frame: int, key: str) -> FileResponse:
    """A tile's parade."""
    return _picture(shot, frame, key, "parade")
