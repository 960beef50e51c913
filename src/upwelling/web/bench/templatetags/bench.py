"""Template filters of the Bench."""

from __future__ import annotations

from django import template

register = template.Library()


@register.filter
def words(text: str) -> list[str]:
    """The words of a text."""
    return text.split()
