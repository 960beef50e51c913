"""Numbers as the interface prints them."""

from __future__ import annotations

from django import template

register = template.Library()


@register.filter
def minus(value: object) -> str:
    """The value with a real minus sign."""
    return str(value).replace("-", "−")


@register.filter
def percent(share: float) -> str:
    """A share as percent with one decimal."""
    return f"{100 * share:.1f}"
