"""Parts that pages repeat: the head of a table, a button that posts."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django import template
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

register = template.Library()


@register.simple_tag
def columns(*titles: str) -> SafeString:
    """The head of a table: a title a column; those that begin with “num:” stand over numbers."""
    numbers = SafeString(' class="num"')
    cells = ((numbers if title.startswith("num:") else "", title.removeprefix("num:")) for title in titles)
    row = format_html_join("", '<th scope="col"{}>{}</th>', cells)
    return format_html("<thead><tr>{}</tr></thead>", row)


@register.simple_tag
def number_field(label: str, name: str, value: object = "") -> SafeString:
    """A labelled field for a number that a person types."""
    return format_html('<label>{} <input name="{}" inputmode="decimal" value="{}"></label>', label, name, value)


@register.filter
def words(text: str) -> list[str]:
    """The words of a text, to loop over."""
    return text.split()


@register.filter
def at(values: Mapping[str, object], key: str) -> object:
    """What stands under a key; empty where nothing does."""
    return values.get(key, "")


@register.inclusion_tag("common/post_button.html", takes_context=True)
def post_button(context: template.Context, address: str, label: str, look: str = "", **sent: str) -> dict[str, Any]:
    """A form of one button that posts to an address; ``sent`` travels with it. ``look`` is the button's class."""
    return {
        "csrf_token": context.get("csrf_token"),
        "address": address,
        "label": label,
        "look": look or "btn btn-sm btn-outline-dark",
        "sent": sent,
    }
