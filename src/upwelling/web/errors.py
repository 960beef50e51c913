"""Where errors of the core and of access become the sentence a person reads."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.utils.http import url_has_allowed_host_and_scheme

from upwelling.core.errors import UpwellingError


class Refused(UpwellingError):
    """A change that the rules of the job do not allow now; shown as it is."""


def wants_json(request: HttpRequest) -> bool:
    """True for requests made by a component."""
    return request.headers.get("Accept", "").startswith("application/json")


def json_body(request: HttpRequest, what: str) -> dict[str, Any]:
    """The JSON object a component sent; raises Refused, calling it ``what``, for anything else."""
    try:
        body = json.loads(request.body)
    except ValueError:
        body = None
    if not isinstance(body, dict):
        raise Refused(f"The page sent something that is not a {what}. Reload it.")
    return body


def page(request: HttpRequest, status: int, title: str, sentence: str) -> HttpResponse:
    """An error as a page, or as JSON for a component."""
    if wants_json(request):
        return JsonResponse({"error": sentence}, status=status)
    came_from = request.headers.get("Referer", "")
    own = url_has_allowed_host_and_scheme(came_from, allowed_hosts={request.get_host()}) and came_from != request.build_absolute_uri()
    return render(request, "error.html", {"title": title, "sentence": sentence, "back": came_from if own else ""}, status=status)


class DomainErrorMiddleware:
    """Answers a core error that a view let pass with its sentence and status 422."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        if isinstance(exception, UpwellingError):
            return page(request, 422, "That cannot be done", str(exception))
        return None


def forbidden(request: HttpRequest, exception: Any = None) -> HttpResponse:
    return page(request, 403, "Not yours to change", str(exception) or "You may look at this production, not change it.")


def not_found(request: HttpRequest, exception: Any = None) -> HttpResponse:
    return page(request, 404, "Not found", "There is nothing at this address, or you are not a member of that production.")


def failed(request: HttpRequest) -> HttpResponse:
    return page(request, 500, "Something went wrong here", "The fault is ours. Nothing saved was lost; go back and try again.")
