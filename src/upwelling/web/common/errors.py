"""Where errors of the core, of access and of the machine become the sentence a person reads."""

from __future__ import annotations

import errno
import sys
from collections.abc import Callable
from typing import Any

from django.core.exceptions import DisallowedHost, RequestDataTooBig, TooManyFieldsSent, TooManyFilesSent
from django.db import OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.urls import reverse
from django.utils.http import url_has_allowed_host_and_scheme

from upwelling.core.errors import UpwellingError
from upwelling.web.common.lanes import Busy
from upwelling.web.common.requests import wants_json

NO_ROOM = (
    "The server’s disk is full, so this could not be kept. Nothing saved before was lost. Make room on it, or ask who "
    "looks after the server, and try again."
)
BUSY = "Others have been writing for too long, so this was not saved. Nothing was lost; try again in a moment."


def page(request: HttpRequest, status: int, title: str, sentence: str) -> HttpResponse:
    """An error as a page, or as JSON for a component."""
    if wants_json(request):
        return JsonResponse({"error": sentence}, status=status)
    return render(
        request, "error.html", {"title": title, "sentence": sentence, "back": _came_from(request)}, status=status
    )


def _came_from(request: HttpRequest) -> str:
    came_from = request.headers.get("Referer", "")
    try:
        own = url_has_allowed_host_and_scheme(came_from, allowed_hosts={request.get_host()})
        return came_from if own and came_from != request.build_absolute_uri() else ""
    except DisallowedHost:
        return ""


def of_the_machine(error: BaseException | None) -> tuple[int, str, str] | None:
    """Status, title and sentence for a full disk or a database that others hold; None for any other error."""
    text = str(error).lower()
    if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT):
        return 507, "No room", NO_ROOM
    if isinstance(error, OperationalError) and ("disk is full" in text or "disk i/o" in text or "readonly" in text):
        return 507, "No room", NO_ROOM
    if isinstance(error, OperationalError) and "locked" in text:
        return 503, "Busy", BUSY
    return None


class DomainErrorMiddleware:
    """Answers a core error that a view let pass with its sentence and status 422, one of the machine with its own."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        answer = self.get_response(request)
        if answer.status_code != 405:
            return answer
        other = page(request, 405, "Not that way", "This address is not asked in that way. Go back and use the page.")
        other["Allow"] = answer["Allow"]
        return other

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        if isinstance(exception, Busy):
            return page(request, 429, "Not just now", str(exception))
        if isinstance(exception, UpwellingError):
            return page(request, 422, "That cannot be done", str(exception))
        found = of_the_machine(exception)
        return page(request, *found) if found else None


def bad_request(request: HttpRequest, exception: Any = None) -> HttpResponse:
    if isinstance(exception, RequestDataTooBig | TooManyFieldsSent | TooManyFilesSent):
        return page(request, 413, "Too large", "The page sent more than this server takes at once. Send less of it.")
    if isinstance(exception, DisallowedHost):
        sentence = "This server does not answer to that name. UPWELLING_HOSTS lists the names it answers to."
        return HttpResponse(sentence, status=400, content_type="text/plain; charset=utf-8")
    return page(request, 400, "Not understood", "What was sent could not be read. Go back, reload the page, try again.")


def forbidden(request: HttpRequest, exception: Any = None) -> HttpResponse:
    return page(
        request, 403, "Not yours to change", str(exception) or "You may look at this production, not change it."
    )


ENDED = "Your session has ended. What is on this page is kept: sign in beside it and go on."


def session_ended() -> JsonResponse:
    """For a component whose page was signed in."""
    return JsonResponse({"error": ENDED, "sign_in": reverse("login")}, status=401)


def foreign_form(request: HttpRequest, reason: str = "") -> HttpResponse:
    if wants_json(request) and not request.user.is_authenticated:
        return session_ended()
    return page(
        request,
        403,
        "Reload the page",
        "This page was open since before you signed in, or came from elsewhere, so what it sent was not taken. Reload "
        "it and try again.",
    )


def too_often(request: HttpRequest, *_: Any) -> HttpResponse:
    return page(
        request,
        429,
        "Too many tries",
        "That name or address has failed to sign in too often. Wait a quarter of an hour and try again, or ask who "
        "looks after the server for a new password.",
    )


def not_found(request: HttpRequest, exception: Any = None) -> HttpResponse:
    return page(
        request, 404, "Not found", "There is nothing at this address, or you are not a member of that production."
    )


def failed(request: HttpRequest) -> HttpResponse:
    found = of_the_machine(sys.exc_info()[1])
    if found:
        return page(request, *found)
    return page(
        request, 500, "Something went wrong here", "The fault is ours. Nothing saved was lost; go back and try again."
    )
