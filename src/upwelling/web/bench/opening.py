"""Opening the Bench from any page at the shot last worked on, and who else is on a shot."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_GET, require_POST

from upwelling.web.footage.access import shot_view
from upwelling.web.footage.listing import IN_ORDER
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.presence import note_presence
from upwelling.web.productions.access import production_view
from upwelling.web.productions.models import Production


def _key(production: Production) -> str:
    return f"bench-{production.pk}"


def remember(request: HttpRequest, production: Production, shot: Shot) -> None:
    """Keeps which shot someone worked on last, for the way back from other pages."""
    if request.session.get(_key(production)) != shot.pk:
        request.session[_key(production)] = shot.pk


def was_opened(request: HttpRequest, production: Production) -> bool:
    """Whether someone has worked on a shot of the production in this session."""
    return _key(production) in request.session


@require_GET
@production_view()
def any_bench(request: HttpRequest, production: Production, page: str = "bench") -> HttpResponse:
    """The Bench, or another page of one shot, at the shot that was open last, or at the first."""
    last = production.shots.filter(pk=request.session.get(_key(production), 0)).first()
    shot = last or production.shots.order_by(*IN_ORDER).first()
    if shot is None:
        messages.info(request, "This page opens with a shot, and there is none yet. Bring footage in first.")
        return redirect("intake", production.slug)
    return redirect(page, production.slug, shot.pk)


@require_POST
@shot_view()
def here(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """A page says that it is on the shot; the answer names the others, and the version and the arithmetic
    in force.
    """
    remember(request, production, shot)
    others = note_presence(shot, request.user)
    return JsonResponse({"others": others, "version": shot.version, "fingerprint": path_of(shot).fingerprint})
