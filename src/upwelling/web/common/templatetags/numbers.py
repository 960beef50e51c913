"""Numbers as the interface prints them."""

from __future__ import annotations

from django import template

from upwelling.core import count_of as counting

register = template.Library()


@register.filter
def minus(value: object) -> str:
    """The value with a real minus sign."""
    return str(value).replace("-", "−")


@register.filter
def percent(share: float) -> str:
    """A share as percent with one decimal."""
    return f"{100 * share:.1f}"


@register.filter
def count_of(count: int, one: str) -> str:
    """How many of a thing, in words that agree."""
    return counting.count_of(count, one)
