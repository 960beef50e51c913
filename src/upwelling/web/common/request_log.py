"""Lines of the log that say who asked for what; an ordinary refusal is one line, a fault of ours has its traceback."""

from __future__ import annotations

import logging
from collections.abc import Callable
from contextvars import ContextVar

from django.http import HttpRequest, HttpResponse

logger = logging.getLogger("upwelling.requests")
_asked: ContextVar[HttpRequest | None] = ContextVar("asked", default=None)


def _printable(text: str) -> str:
    """On one line, whatever was sent."""
    return text[:200].encode("unicode_escape").decode()


def _place(request: HttpRequest) -> str:
    """The address without what opens a door to whoever reads it."""
    match = request.resolver_match
    secret = match.kwargs.get("token") if match is not None else None
    return request.path.replace(secret, "…") if secret else request.path


class Asked(logging.Filter):
    """Adds ``asked`` to a record: the person and the request that it belongs to, “-” outside of any."""

    def filter(self, record: logging.LogRecord) -> bool:
        request = _asked.get()
        # Who is signed in is only told where it is known already: a log line must not read the database.
        user = getattr(request, "_cached_user", None)
        name = _printable(user.get_username()) if user is not None and user.is_authenticated else "nobody"
        record.asked = f"{name} {request.method} {_printable(_place(request))}" if request is not None else "-"
        return True


class RequestLogMiddleware:
    """Outermost: one line for each answer that is a refusal or a fault."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        token = _asked.set(request)
        try:
            answer = self.get_response(request)
            if answer.status_code >= 400:
                logger.log(
                    logging.ERROR if answer.status_code >= 500 else logging.INFO, "answered %d", answer.status_code
                )
            return answer
        finally:
            _asked.reset(token)
