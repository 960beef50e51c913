"""Long lists by pages, so that a page costs what it shows and not what there is."""

from __future__ import annotations

from typing import Any

from django.core.paginator import Page, Paginator
from django.http import HttpRequest

EACH = 40


def page_of(request: HttpRequest, many: Any, each: int = EACH) -> Page[Any]:
    """The part of a list that ``?page=`` names, the nearest there is for anything else; drawn by common/pages.html."""
    chosen = Paginator(many, each).get_page(request.GET.get("page", "")[:9])
    asked = request.GET.copy()
    asked.pop("page", None)
    chosen.address = "?" + asked.urlencode() + ("&" if asked else "") + "page="  # type: ignore[attr-defined]
    return chosen
