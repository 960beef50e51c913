"""Sessions in the database, as Django's, read once for as long as nothing in it changes."""

from __future__ import annotations

from typing import Any, cast

from django.contrib import auth
from django.contrib.auth.middleware import AuthenticationMiddleware
from django.contrib.sessions.backends import db
from django.http import HttpRequest
from django.utils import timezone
from django.utils.functional import SimpleLazyObject

from upwelling.web.common.standing import standing


class SessionStore(db.SessionStore):
    """Finds the row of a session; its end by the clock is asked each time."""

    def _get_session_from_db(self) -> Any:
        read = super()._get_session_from_db  # type: ignore[misc]
        found = standing(("session", self.session_key), read)
        return found if found and found.expire_date > timezone.now() else read()


class SignedInMiddleware(AuthenticationMiddleware):
    """Who a session belongs to, checked against its password's hash as Django does, once for as long as that stands."""

    def process_request(self, request: HttpRequest) -> None:
        """Gives the request its ``user``."""
        super().process_request(request)
        request.user = cast("Any", SimpleLazyObject(lambda: _user_of(request)))


def _user_of(request: Any) -> Any:
    request._cached_user = _found(request)  # where Django's own middleware keeps it, and the log looks for it
    return request._cached_user


def _found(request: HttpRequest) -> Any:
    names = (auth.SESSION_KEY, auth.BACKEND_SESSION_KEY, auth.HASH_SESSION_KEY)
    marks = tuple(request.session.get(name) for name in names)
    if marks[0] is None:
        return auth.get_user(request)
    return standing(("user", *marks), lambda: auth.get_user(request))
