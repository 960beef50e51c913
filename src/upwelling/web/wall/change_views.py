"""Mending from the wall: small moves tried and made, matches proposed and taken, and the undo of both."""

from __future__ import annotations

import base64
from contextlib import suppress
from typing import Any

from django.http import HttpRequest, JsonResponse
from django.shortcuts import get_object_or_404
from django.urls import reverse
from django.views.decorators.http import require_POST

from upwelling.core.count_of import count_of
from upwelling.core.errors import UpwellingError
from upwelling.web.common.requests import Refused, json_body, list_of, number, text_of, whole
from upwelling.web.footage.history import unshare
from upwelling.web.footage.listing import loaded
from upwelling.web.footage.models import SharedChange
from upwelling.web.matches.models import MatchProposal, MatchRun
from upwelling.web.matches.services import accept as take_proposals
from upwelling.web.matches.services import start_run
from upwelling.web.productions.access import production_view
from upwelling.web.productions.models import Production
from upwelling.web.wall.making import wall_of
from upwelling.web.wall.moves import CONTROLS, Control, move, moved
from upwelling.web.wall.showing import Paths, read_places, show_of
from upwelling.web.wall.tiles import drawn

METHOD = "scene"
MADE_AT_ONCE = 6
"""Tiles that are made with a move; what is beyond comes as it is ready."""


def _control(body: dict[str, Any]) -> Control:
    control = CONTROLS.get(text_of(body.get("what")))
    if control is None:
        raise Refused("Choose what is moved.")
    return control


@require_POST
@production_view(often=True)
def attempt(request: HttpRequest, production: Production) -> JsonResponse:
    """One tile as a move would make it; nothing is kept."""
    body = json_body(request, "wall")
    control, by = _control(body), number(body.get("amount"))
    show, wanted = show_of(body, production), read_places([body.get("place")])
    shots = loaded(production, [one.shot for one in wanted])
    if not shots:
        raise Refused("This shot is no longer there. Reload the page.")
    shot, frame = shots[0], min(max(wanted[0].frame, shots[0].first_frame), shots[0].last_frame)
    path = Paths(production, show, shots).of(shot, frame, show.columns[0], moved(shot.settings, control, by))
    if path is None:
        raise Refused("This shot has no such state to be moved.")
    picture, parade, _ = drawn(shot, frame, path, {})
    return JsonResponse({"picture": _address(picture), "parade": _address(parade)})


def _address(jpeg: bytes) -> str:
    return "data:image/jpeg;base64," + base64.b64encode(jpeg).decode()


@require_POST
@production_view(change=True)
def move_chosen(request: HttpRequest, production: Production) -> JsonResponse:
    """Makes a move on the chosen shots."""
    body = json_body(request, "wall")
    numbers = list(dict.fromkeys(whole(one) for one in list_of(body.get("shots"))))
    change, left = move(production, request.user, numbers, _control(body), number(body.get("amount")))
    # The tiles in hand are made while their page waits; it shows what was tried meanwhile.
    wall = wall_of(production, {**body, "places": list_of(body.get("places"))[:MADE_AT_ONCE]})
    for tile in wall.firsts:
        with suppress(UpwellingError):  # it is saved; the tile itself says what is wrong with it
            tile.make(tile.regions())
    return JsonResponse({"change": change.pk, "said": f"{change.steps}.", "left": left})


@require_POST
@production_view(change=True)
def match(request: HttpRequest, production: Production) -> JsonResponse:
    """Begins a match of each frame named to the one beside it: rows of its shot and frame, the other's shot and
    frame. What a shot's own steps do is set aside with it, so that it comes to stand as is said.
    """
    rows = [[whole(value) for value in list_of(row)] for row in list_of(json_body(request, "wall").get("pairs"))]
    each = {row[0]: row[1:] for row in rows if len(row) == 4 and row[0] != row[2]}
    if not each:
        raise Refused("Choose a shot that has another beside it.")
    run = start_run(production, request.user, list(each), METHOD, "each", set_aside=True, each=each)
    return JsonResponse({"run": run.pk, "proposals": proposals(production, run)})


@require_POST
@production_view()
def proposed(request: HttpRequest, production: Production) -> JsonResponse:
    """What a run has found so far."""
    run = get_object_or_404(MatchRun, pk=whole(json_body(request, "wall").get("run")), production=production)
    return JsonResponse({"run": run.pk, "proposals": proposals(production, run)})


def proposals(production: Production, run: MatchRun) -> list[dict[str, Any]]:
    """Of each shot, for its tile."""
    found_kinds = (MatchProposal.State.FOUND, MatchProposal.State.ACCEPTED)
    held = list(run.proposals.select_related("change", "run"))
    own = {shot.pk for shot in loaded(production, [one.shot_id for one in held]) if shot.settings.active}
    rows = []
    for one in held:
        found = one.state in found_kinds
        figures = f"ΔE {one.after:.2f} after" if one.after is not None else ""
        figures += ", own steps off" * bool(figures and one.shot_id in own)
        rows.append(
            {
                "proposal": one.pk,
                "shot": one.shot_id,
                "state": one.state,
                "said": figures if found and figures else one.said,
                "to": one.reference_name,
                "picture": reverse("match-picture", args=[production.slug, run.pk, one.pk]) if one.settings else "",
            }
        )
    return rows


@require_POST
@production_view(change=True)
def accept(request: HttpRequest, production: Production) -> JsonResponse:
    """Takes proposals of a run into their shots."""
    body = json_body(request, "wall")
    run = get_object_or_404(MatchRun, pk=whole(body.get("run")), production=production)
    run.production = production
    change, left = take_proposals(run, request.user, [whole(one) for one in list_of(body.get("proposals"))])
    count = change.states.count()
    said = f"Match taken into {count_of(count, 'shot')}."
    return JsonResponse({"change": change.pk, "said": said, "left": left})


@require_POST
@production_view(change=True)
def back(request: HttpRequest, production: Production) -> JsonResponse:
    """Takes a change back from all its shots."""
    pk = whole(json_body(request, "wall").get("change"))
    change = get_object_or_404(SharedChange, pk=pk, production=production)
    left = [f"{shot.name} was changed since, and keeps what it has." for shot in unshare(change)]
    return JsonResponse({"said": f"Taken back: {change.steps}.", "left": left})
