"""What people say of a production and of what is in it: a page of all of it, and the way a page's form comes."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.db.models import Count
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.errors import UpwellingError
from upwelling.web.bench.remarks import answer_words
from upwelling.web.common.finding import Choice, finder
from upwelling.web.common.paging import page_of
from upwelling.web.common.requests import Refused, whole_or
from upwelling.web.footage.models import Shot
from upwelling.web.productions.access import production_view
from upwelling.web.productions.models import Production
from upwelling.web.productions.remarks import ASKED, KINDS, Remark, in_state, reply, settle, write_remark
from upwelling.web.productions.templatetags.remarks import buttons_of

EACH = 50
"""Remarks on a page."""


@require_GET
@production_view()
def remarks(request: HttpRequest, production: Production) -> HttpResponse:
    """All remarks, the newest first: in one state, of one person, with a word in them."""
    begun = in_state(production.remarks, "")
    people = begun.order_by().exclude(created_by=None).values_list("created_by", "created_by__username").distinct()
    asked = finder(
        request.GET,
        [
            Choice("state", "in any state", ASKED[1:]),
            Choice("by", "by anybody", [(str(pk), name) for pk, name in people]),
            Choice("on", "on anything", [(kind, title) for kind, title in KINDS.items()]),
        ],
        [("new", "newest"), ("thing", "what they are on")],
        hint="A word, or a name",
        pictures=False,
    )
    shown = in_state(begun, asked["state"])
    if asked["by"]:
        shown = shown.filter(created_by=asked["by"])
    if asked["on"]:
        shown = shown.filter(kind=asked["on"])
    if asked.word:
        shown = shown.filter(text__icontains=asked.word) | shown.filter(name__icontains=asked.word)
    order = ("kind", "number", "frame", "pk") if asked.sort == "thing" else ("-created", "-pk")
    shown = shown.annotate(many=Count("replies")).order_by(*order).select_related("created_by", "answered_by")
    page = page_of(request, shown, EACH)
    rows = [_row(production, one, request) for one in page.object_list]
    counts = {state: in_state(begun, state).count() for state, _ in ASKED[1:]}
    return render(request, "care/remarks.html", {"rows": rows, "page": page, "finder": asked, "counts": counts})


def _row(production: Production, one: Any, request: HttpRequest) -> dict[str, Any]:
    buttons = buttons_of(one, request.user, changes=request.may.change)  # type: ignore[attr-defined]
    return {"remark": one, "address": address_of(production, one), "replies": one.many, "buttons": buttons}


def address_of(production: Production, one: Remark) -> str:
    """The page of what a remark is on, at its frame; empty where it is gone."""
    slug = production.slug
    if one.kind == "shot" and Shot.objects.filter(pk=one.number, production=production).exists():
        at = "" if one.frame is None else f"&frame={one.frame}"
        return f"{reverse('bench', args=[slug, one.number])}?remarks=1{at}"
    for kind, held, name in (("camera", production.cameras, "camera"), ("bake", production.bakes, "certificate")):
        if one.kind == kind and held.filter(pk=one.number).exists():
            return reverse(name, args=[slug, one.number])
    return reverse("about", args=[slug]) if one.kind == "production" else ""


def _changed_since(production: Production, one: Remark) -> str:
    shot = Shot.objects.filter(pk=one.number, production=production).first() if one.kind == "shot" else None
    return answer_words(shot, one) if shot else ""


@require_POST
@production_view(says=True)
def remark(request: HttpRequest, production: Production) -> HttpResponse:
    """Keeps a remark or a reply; answers one, ticks it off, opens it again, removes it."""
    sent, user = request.POST, request.user
    what, back = sent.get("what", ""), sent.get("back", "")
    try:
        if what == "write":
            kind, name = sent.get("kind", ""), sent.get("name", "")
            if kind not in KINDS:
                raise Refused("There is nothing of that kind to say something of. Reload the page.")
            about = (kind, whole_or(sent.get("number")), name)
            write_remark(production, user, about, sent.get("text", ""), question="question" in sent)
        else:
            one = get_object_or_404(Remark, pk=whole_or(sent.get("remark")), production=production)
            name = f"{what}: {one.name}"
            if what == "reply":
                reply(one, user, sent.get("text", ""))
            else:
                words = _changed_since(production, one) if what == "answered" else ""
                settle(one, user, what, changes=request.may.change, words=words)  # type: ignore[attr-defined]
        request.about = name  # type: ignore[attr-defined]
    except UpwellingError as error:
        messages.error(request, str(error))
    safe = url_has_allowed_host_and_scheme(back, allowed_hosts={request.get_host()})
    return redirect(back) if safe and back.startswith("/") else redirect("about", production.slug)
