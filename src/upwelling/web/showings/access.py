"""Views of a showing: for a technician by its production, for guests by its signed link and nothing else."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any

from django.contrib.auth.decorators import login_not_required
from django.core import signing
from django.http import Http404, HttpRequest, HttpResponseBase
from django.shortcuts import get_object_or_404, render

from upwelling.web.common.access import Access, marked
from upwelling.web.common.errors import page
from upwelling.web.common.requests import wants_json
from upwelling.web.common.standing import standing
from upwelling.web.productions.access import view_of
from upwelling.web.productions.models import Production
from upwelling.web.showings.guests import cookie_of, known_visitor
from upwelling.web.showings.models import SALT, Showing

OVER = "This showing is over. Ask who sent you the link whether there is a new one."


def _showing(production: Production, pk: int) -> Showing:
    row = get_object_or_404(production.showings.select_related("job", "after", "cut", "created_by"), pk=pk)
    row.production = production
    return row


showing_view = view_of(_showing)


def shown_by(token: str) -> Showing:
    """The showing of a link; raises Http404 for a link that nobody signed."""
    try:
        key = signing.Signer(salt=SALT).unsign(token)
    except signing.BadSignature:
        raise Http404 from None
    rows = Showing.objects.select_related("production", "after")
    return standing(("showing", key), lambda: get_object_or_404(rows, key=key))


def guest_view(*, door: bool = False) -> Callable[[Callable[..., Any]], Callable[..., HttpResponseBase]]:
    """``view(request, showing, visitor, …)`` for whoever has the link while it holds; ``door`` for one that is come to
    before the pass phrase is given, with no visitor yet perhaps.
    """

    def declare(view: Callable[..., Any]) -> Callable[..., HttpResponseBase]:
        @wraps(view)
        def inner(request: HttpRequest, token: str, **rest: Any) -> Any:
            try:
                showing = shown_by(token)
            except Http404:
                return page(
                    request, 404, "Not found", "There is no showing at this address. Copy the whole link once more."
                )
            if showing.is_over or showing.production.archived:
                return page(request, 410, "Over", OVER)
            cookie = request.COOKIES.get(cookie_of(showing), "")
            visitor = standing(("visitor", showing.pk, cookie), lambda: known_visitor(showing, cookie))
            if visitor is None and not door:
                if wants_json(request):
                    return page(request, 403, "Come in first", "Reload this page, and come in once more.")
                return render(request, "showings/door.html", {"showing": showing}, status=403)
            answer = view(request, showing, visitor, **rest)
            answer.headers.setdefault("Cache-Control", "private, no-store")
            answer.headers["X-Robots-Tag"] = "noindex"
            return answer

        return marked(login_not_required(inner), Access("guests"))

    return declare
