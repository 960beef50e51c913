"""A card's page: how far its reading is, and the report of what was on it."""

from __future__ import annotations

import csv
import io

from django.contrib import messages
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.count_of import count_of
from upwelling.core.errors import UpwellingError
from upwelling.web.common.paging import page_of
from upwelling.web.footage.card_models import Card
from upwelling.web.footage.cards import checksums, read_card, state_of, take_up
from upwelling.web.footage.models import Arrival
from upwelling.web.productions.access import production_view, view_of
from upwelling.web.productions.models import Production

EACH = 100


def _card(production: Production, pk: int) -> Card:
    card = get_object_or_404(Card.objects.select_related("created_by"), pk=pk, production=production)
    card.production = production
    return card


card_view = view_of(_card)


@require_POST
@production_view(change=True)
def read(request: HttpRequest, production: Production) -> HttpResponse:
    """Begins to read a folder as a card."""
    try:
        typed = request.POST.get("typed", "").strip()
        card = read_card(production, request.user, typed or request.POST.get("folder", ""))
    except UpwellingError as error:
        messages.error(request, str(error))
        return redirect("intake", production.slug)
    return redirect("card", production.slug, card.pk)


@require_GET
@card_view()
def card_page(request: HttpRequest, production: Production, card: Card) -> HttpResponse:
    """The report, as far as it goes."""
    rows = card.arrivals.select_related("shot").order_by("pk")
    page = page_of(request, rows, EACH)
    return render(
        request, "footage/card.html", {"card": card, "state": state_of(card), "page": page, "rows": page.object_list}
    )


@require_GET
@card_view()
def card_progress(request: HttpRequest, production: Production, card: Card) -> JsonResponse:
    """How far it is, for the page to draw."""
    state = state_of(card)
    share = state.done / state.size if state.size else state.read / max(state.files, 1)
    return JsonResponse({"share": share, "said": state.sentence(), "over": state.over, "gone": state.gone})


@require_POST
@card_view(change=True)
def take_card_up(request: HttpRequest, production: Production, card: Card) -> HttpResponse:
    """Reads again what could not be read."""
    try:
        count = take_up(card)
    except UpwellingError as error:
        messages.error(request, str(error))
    else:
        messages.success(request, f"{count_of(count, 'file')} taken up again.")
    return redirect("card", production.slug, card.pk)


@require_GET
@card_view()
def card_checksums(request: HttpRequest, production: Production, card: Card) -> HttpResponse:
    """SHA-256 of every file that was read, as sha256sum reads it."""
    return _file(checksums(card), "text/plain; charset=utf-8", f"{production.slug}-card-{card.pk}.sha256")


@require_GET
@card_view()
def card_report(request: HttpRequest, production: Production, card: Card) -> HttpResponse:
    """The report as a table."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["file", "files", "bytes", "sha256", "state", "shot", "said"])
    for one in card.arrivals.select_related("shot"):
        digest = one.digests[0] if len(one.digests) == 1 else ""
        shot = one.shot.name if one.shot else ""
        state = Arrival.State(one.state).label
        writer.writerow([one.place, len(one.members) or 1, one.size_bytes, digest, state, shot, one.message])
    return _file(out.getvalue(), "text/csv; charset=utf-8", f"{production.slug}-card-{card.pk}.csv")


def _file(text: str, kind: str, name: str) -> HttpResponse:
    return HttpResponse(text, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})
