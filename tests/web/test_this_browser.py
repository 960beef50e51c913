"""What a browser keeps for itself is taken from cookies, and only where it is one of the known."""

import datetime

import pytest
from django.utils import timezone

from upwelling.web.common.this_browser import ThisBrowserMiddleware, this_browser

NOON = datetime.datetime(2026, 7, 1, 12, 0, tzinfo=datetime.UTC)


@pytest.mark.parametrize(
    ("said", "hour"),
    [
        ("Asia/Kathmandu", "17:45"),
        ("Asia%2FKathmandu", "17:45"),
        ("America/St_Johns", "09:30"),
        ("", "12:00"),
        ("Nowhere/Atall", "12:00"),
        ("../../etc/passwd", "12:00"),
        ("%00", "12:00"),
    ],
)
def test_zones(rf, said, hour):
    request = rf.get("/")
    request.COOKIES["zone"] = said
    given = ThisBrowserMiddleware(lambda asked: f"{timezone.localtime(NOON):%H:%M}")(request)
    assert given == hour
    assert f"{timezone.localtime(NOON):%H:%M}" == "12:00"


@pytest.mark.parametrize(
    ("said", "room"), [("dark", "dark"), ("contrast", "contrast"), ('"><b>', "light"), ("", "light")]
)
def test_rooms(rf, said, room):
    request = rf.get("/")
    request.COOKIES["room"] = said
    assert this_browser(request)["room"] == room
