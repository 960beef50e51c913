"""Template words about shots."""

from __future__ import annotations

from django import template
from django.forms import BoundField

from upwelling.web.footage.intake import ORIGINS, format_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import listed_settings_of, problem_of
from upwelling.web.footage.views import thumbnail_url

register = template.Library()
register.filter("thumbnail_url", thumbnail_url)
register.filter("format_of", format_of)
register.filter("problem", problem_of)


@register.filter
def trimmed(shot: Shot) -> bool:
    """True when any step of the shot's trim does something."""
    return any(step.on and not step.changes_nothing for step in listed_settings_of(shot).steps)


@register.filter
def named(number: int, names: dict[int, str]) -> str:
    """The name of a thing by its number."""
    return names.get(number, "")


@register.filter
def at_frame(shot: Shot | None, frame: int) -> str:
    """A frame of a shot in words; of one that is gone its number alone."""
    return shot.frame_said(frame) if shot else f"frame {frame}"


@register.filter
def unit(field: BoundField) -> str:
    """The unit a form field declares."""
    return str(field.field.widget.attrs.get("data-unit", ""))


@register.filter
def origin(where: str) -> str:
    """Where a value comes from, ready to stand before the range."""
    return f"{ORIGINS[where]}, " if ORIGINS.get(where) else ""


@register.filter
def big_picture(shot: Shot) -> str:
    """The address of the shot's picture at working size."""
    return thumbnail_url(shot).replace("/thumbnail/", "/picture/")
