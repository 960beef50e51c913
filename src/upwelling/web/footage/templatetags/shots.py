"""Template words about shots."""

from __future__ import annotations

from django import template
from django.forms import BoundField

from upwelling.web.footage.models import Shot
from upwelling.web.footage.views import thumbnail_url

register = template.Library()
register.filter("thumbnail_url", thumbnail_url)


@register.filter
def trimmed(shot: Shot) -> bool:
    """True when any step of the shot's trim does something."""
    return any(step.on and not step.changes_nothing for step in shot.settings.steps)


@register.filter
def unit(field: BoundField) -> str:
    """The unit a form field declares."""
    return str(field.field.widget.attrs.get("data-unit", ""))
