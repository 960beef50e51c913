"""Views of a production and of one thing in it: the address names them, the view is given them."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any

from django.http import HttpRequest, HttpResponseBase

from upwelling.web.common.access import Access, Change, marked
from upwelling.web.productions.models import Production, production_for

Decorator = Callable[[Callable[..., Any]], Callable[..., HttpResponseBase]]


def production_view(*, change: Change = False) -> Decorator:
    """``view(request, production, …)`` for members.

    Who may not change it is refused where the view changes something.
    """
    access = Access("members", change)

    def declare(view: Callable[..., Any]) -> Callable[..., HttpResponseBase]:
        @wraps(view)
        def inner(request: HttpRequest, slug: str, **rest: Any) -> Any:
            return view(
                request, production_for(request.user, slug, change=access.changes(request.method or "")), **rest
            )

        return marked(inner, access)

    return declare


def view_of(find: Callable[[Production, int], Any]) -> Callable[..., Decorator]:
    """A declaration like ``production_view`` for ``view(request, production, thing, …)``; ``find`` gives the thing or
    raises Http404.
    """

    def declared(*, change: Change = False) -> Decorator:
        def declare(view: Callable[..., Any]) -> Callable[..., HttpResponseBase]:
            @wraps(view)
            def inner(request: HttpRequest, production: Production, pk: int, **rest: Any) -> Any:
                return view(request, production, find(production, pk), **rest)

            return production_view(change=change)(inner)

        return declare

    return declared
