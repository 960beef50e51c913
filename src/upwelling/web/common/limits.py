"""How much a request may send, decided by its headers before its body is kept anywhere."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from http.cookies import CookieError, SimpleCookie

from django.conf import settings
from django.contrib.auth import SESSION_KEY
from django.db import DatabaseError, close_old_connections
from django.http import HttpRequest, HttpResponse

from upwelling.web.common.errors import page
from upwelling.web.common.sessions import SessionStore

MOST_UNSIGNED = 64 * 1024
"""Bytes that somebody may send who has not signed in: a sign-in form is under one kilobyte."""
AROUND_A_FILE = 2 * 2**20
"""What a form may send beside its file."""


def refusal(length: int, *, signed_in: Callable[[], bool]) -> tuple[int, str] | None:
    """Status and sentence for a body of that many bytes which is not taken, or None."""
    if length <= MOST_UNSIGNED:
        return None
    if not signed_in():
        return 401, "Sign in first: nothing of this size is taken from somebody who has not."
    if length > settings.UPLOAD_LIMIT + AROUND_A_FILE:
        return 413, (
            f"This is larger than {settings.UPLOAD_LIMIT // 2**20} MiB, the most one upload may be. Put it under the "
            "media folder and register that instead."
        )
    room = shutil.disk_usage(settings.DATA).free - settings.DISK_RESERVE
    if length > room:
        more, this = f"{max(room, 0) / 2**20:.1f} MiB", f"{length / 2**20:.1f} MiB"
        return 507, (
            f"The server’s disk has room for {more} more, this is {this}. Nothing was taken. Make room and try again."
        )
    return None


def is_signed_in(cookies: str) -> bool:
    """Whether a Cookie header carries a living session of somebody."""
    try:
        found = SimpleCookie(cookies).get(settings.SESSION_COOKIE_NAME)
    except CookieError:
        return False
    if found is None:
        return False
    try:
        return SESSION_KEY in SessionStore(found.value).load()
    except DatabaseError:
        return False
    finally:
        close_old_connections()


class BodyLimitMiddleware:
    """Refuses by its headers what is too large, before any form is read; after the session is known."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        given = request.META.get("CONTENT_LENGTH") or "0"
        length = int(given) if given.isascii() and given.isdigit() and len(given) < 16 else 0
        found = refusal(length, signed_in=lambda: request.user.is_authenticated)
        return page(request, found[0], TITLES[found[0]], found[1]) if found else self.get_response(request)


TITLES = {401: "Not signed in", 413: "Too large", 507: "No room"}
