"""Signing in before anything is shown; a page whose session has ended is told so and keeps what is on it."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.middleware import LoginRequiredMiddleware
from django.http import HttpRequest, HttpResponse

from upwelling.web.common.errors import session_ended
from upwelling.web.common.requests import wants_json


class SignInMiddleware(LoginRequiredMiddleware):
    """As Django's; a component gets 401 and the address to sign in at instead of a page."""

    def handle_no_permission(self, request: HttpRequest, view_func: Any) -> HttpResponse:  # type: ignore[override]
        if wants_json(request):
            return session_ended()
        return super().handle_no_permission(request, view_func)
