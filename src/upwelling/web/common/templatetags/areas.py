"""The bar's areas, the parts of the area one is in, and the map of all of them."""

from __future__ import annotations

from typing import Any

from django import template
from django.urls import reverse

from upwelling.web.common.areas import AREAS, Part, area_of

register = template.Library()


def _page(context: template.Context) -> str:
    """The name of the page's address; empty where an answer is made for none."""
    match = getattr(context.get("request"), "resolver_match", None)
    return str(match.url_name or "") if match else ""


def _slug(context: template.Context) -> str:
    return str(getattr(context.get("production"), "slug", ""))


def _row(part: Part, slug: str, page: str) -> dict[str, Any]:
    return {"title": part.title, "says": part.says, "address": reverse(part.url, args=[slug]), "here": part.holds(page)}


@register.inclusion_tag("common/areas.html", takes_context=True)
def areas(context: template.Context) -> dict[str, Any]:
    """The areas of the open production; nothing where none is open."""
    slug, here = _slug(context), area_of(_page(context))
    rows = [{**_row(area.parts[0], slug, ""), "title": area.title, "here": area is here} for area in AREAS if slug]
    return {"areas": rows}


@register.inclusion_tag("common/parts.html", takes_context=True)
def parts(context: template.Context) -> dict[str, Any]:
    """The parts of the area that the page belongs to."""
    slug, page = _slug(context), _page(context)
    here = area_of(page) if slug else None
    return {"area": here, "parts": [_row(part, slug, page) for part in here.parts] if here else []}


@register.inclusion_tag("common/help_beside.html", takes_context=True)
def help_beside(context: template.Context) -> dict[str, Any]:
    """The help of the page's part, fetched when it is opened; elsewhere the way to all of it."""
    page = _page(context)
    area = area_of(page)
    part = area.part_of(page) if area else None
    return {"address": f"{reverse('help-page', args=[part.url])}?beside=1" if part else ""}


@register.inclusion_tag("common/map.html", takes_context=True)
def production_map(context: template.Context) -> dict[str, Any]:
    """All areas with their parts, to go to from any page."""
    slug, page = _slug(context), _page(context)
    rows = [{"title": area.title, "parts": [_row(part, slug, page) for part in area.parts]} for area in AREAS if slug]
    return {"areas": rows}
