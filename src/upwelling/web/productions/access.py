"""Views of a production and of one thing in it: the address names them, the view is given them."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any

from django.contrib.messages.constants import ERROR
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponseBase

from upwelling.web.common.access import Access, Change, marked
from upwelling.web.common.standing import standing
from upwelling.web.productions.models import ARCHIVED, Production, production_for
from upwelling.web.productions.record import enter, words_for
from upwelling.web.productions.rights import May

Decorator = Callable[[Callable[..., Any]], Callable[..., HttpResponseBase]]


def production_view(
    *, change: Change = False, archived: bool = False, often: bool = False, says: bool = False
) -> Decorator:
    """``view(request, production, …)`` for members; ``often`` for one that only looks and is asked many times a second.

    Who may not change it is refused where the view changes something, and everybody while the production is archived,
    unless ``archived``. What was changed goes into the production's record, and what was said: ``says`` is for a view
    that keeps a member's word, a viewer's too.
    """
    access = Access("members", change, says)

    def declare(view: Callable[..., Any]) -> Callable[..., HttpResponseBase]:
        @wraps(view)
        def inner(request: HttpRequest, slug: str, **rest: Any) -> Any:
            changes = access.changes(request.method or "")
            if often and not changes:
                production = standing(("production", request.user.pk, slug), lambda: production_for(request.user, slug))
            else:
                production = production_for(request.user, slug, change=changes, archived=archived)
            request.production, request.may = production, May(production, request.user)  # type: ignore[attr-defined]
            spoken = says and request.method == "POST"
            if spoken and production.archived:
                raise PermissionDenied(ARCHIVED)
            answer = view(request, production, **rest)
            if (changes or spoken) and answer.status_code < 400 and not _refused(request):
                _record(request, production)
            return answer

        return marked(inner, access)

    return declare


def _refused(request: HttpRequest) -> bool:
    """Whether a view that led back to a page has told the person there why it changed nothing."""
    queued = getattr(request, "_messages", None)
    return any(message.level >= ERROR for message in getattr(queued, "_queued_messages", ()))


def _record(request: HttpRequest, production: Production) -> None:
    """What a view changed, by its address's name and the thing in it; a production that is gone has no record."""
    match = request.resolver_match
    address = (match.url_name if match else None) or "change"
    if Production.objects.filter(pk=production.pk).exists():
        about, said = getattr(request, "about", ""), getattr(request, "said", ())
        enter(production, request.user, words_for(address), about, said)


def view_of(find: Callable[[Production, int], Any]) -> Callable[..., Decorator]:
    """A declaration like ``production_view`` for ``view(request, production, thing, …)``; ``find`` gives the thing or
    raises Http404.
    """

    def declared(*, change: Change = False, often: bool = False, says: bool = False) -> Decorator:
        def declare(view: Callable[..., Any]) -> Callable[..., HttpResponseBase]:
            @wraps(view)
            def inner(request: HttpRequest, production: Production, pk: int, **rest: Any) -> Any:
                thing = (
                    standing((find, production.pk, pk), lambda: find(production, pk)) if often else find(production, pk)
                )
                request.about = str(thing)  # type: ignore[attr-defined]
                return view(request, production, thing, **rest)

            return production_view(change=change, often=often, says=says)(inner)

        return declare

    return declared
