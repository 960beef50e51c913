"""What a browser keeps for itself: how its room is lit, and the zone that times are said in.

Never kept for a person: one person works in a dark room today and in an office tomorrow.
"""

from __future__ import annotations

import zoneinfo
from collections.abc import Callable
from functools import cache
from urllib.parse import unquote

from django.http import HttpRequest, HttpResponse
from django.utils import timezone

ROOMS = {
    "light": "Light room: mid to light grey around pictures",
    "dark": "Dark room: nothing around a picture is lighter than 5 % of white",
    "contrast": "More contrast: black on white",
}


class ThisBrowserMiddleware:
    """Times in a response are those of the browser's zone; in UTC where it said none, or one that nobody knows."""

    def __init__(self, respond: Callable[[HttpRequest], HttpResponse]) -> None:
        self.respond = respond

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answers with the zone in force."""
        name = unquote(request.COOKIES.get("zone", ""))
        zone = zoneinfo.ZoneInfo(name) if name in _known() else None
        with timezone.override(zone):
            return self.respond(request)


@cache
def _known() -> frozenset[str]:
    return frozenset(zoneinfo.available_timezones())


def this_browser(request: HttpRequest) -> dict[str, object]:
    """For all templates: ``room``, one of ``rooms``, and the name of the zone in force."""
    said = request.COOKIES.get("room", "")
    return {"room": said if said in ROOMS else "light", "rooms": ROOMS, "zone": timezone.get_current_timezone_name()}
