"""The strip of shots under the picture: those around the one in hand, or those that have a word in their name."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.template.loader import render_to_string
from django.urls import reverse
from django.views.decorators.http import require_GET

from upwelling.web.common.requests import text_of
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.listing import around, loaded, numbers_in_order
from upwelling.web.footage.models import Shot
from upwelling.web.productions.models import Production
from upwelling.web.productions.remarks import open_on

SHOWN = 60
"""Shots in the strip at once."""


def grouped(shots: list[Shot]) -> list[tuple[str, list[Shot]]]:
    """Shots by camera, cameras by name, those without one last."""
    names = sorted({shot.camera.name for shot in shots if shot.camera})
    groups = [(name, [shot for shot in shots if shot.camera and shot.camera.name == name]) for name in names]
    rest = [shot for shot in shots if not shot.camera]
    return [*groups, ("No camera", rest)] if rest else groups


def strip_of(production: Production, shot: Shot, word: str = "") -> dict[str, Any]:
    """What the strip shows: shots by camera, how many more there are, and the way to the shots before and after."""
    numbers = numbers_in_order(production.shots.all())
    found = numbers_in_order(production.shots.filter(name__icontains=word)) if word else numbers
    at = numbers.index(shot.pk)
    shown = loaded(production, around(found, shot.pk, SHOWN))

    def bench(place: int) -> str | None:
        inside = 0 <= place < len(numbers)
        return reverse("bench", args=[production.slug, numbers[place]]) if inside else None

    asked = open_on(production, "shot", [other.pk for other in shown])
    for other in shown:
        other.asked = asked.get(other.pk, 0)  # type: ignore[attr-defined]
    return {
        "groups": grouped(shown),
        "more": len(found) - len(shown),
        "others": [other_of(production, other) for other in shown if other.pk != shot.pk and other.settled.is_settled],
        "neighbours": {"previous": bench(at - 1), "next": bench(at + 1)},
    }


def other_of(production: Production, other: Shot) -> dict[str, Any]:
    """A shot to compare with."""
    address = reverse("preview", args=[production.slug, other.pk])
    return _offered(other, other.pk, other.name, address, (other.frame, other.first_frame, other.last_frame))


def shelf_of(production: Production) -> list[dict[str, Any]]:
    """What the Bench offers of the shelf to compare with and to match to."""
    return [
        _offered(
            one.shot,
            one.pk,
            one.name,
            reverse("reference-preview", args=[production.slug, one.pk]),
            (one.frame, one.frame, one.frame),
        )
        for one in production.references.select_related("shot")
    ]


def _offered(shot: Shot, pk: int, name: str, url: str, frames: tuple[int, int, int]) -> dict[str, Any]:
    """What a page needs to show it: ``frames`` are the one it stands at, the first and the last."""
    frame, first, last = frames
    size = {"width": shot.width, "height": shot.height}
    return {"pk": pk, "name": name, "url": url, "frame": frame, "first": first, "last": last, **size}


@require_GET
@shot_view()
def strip(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The strip for ``?word=`` as a piece of the page, and the shots in it to compare with."""
    word = text_of(request.GET.get("word"), 60).strip()
    made = strip_of(production, shot, word)
    html = render_to_string("bench/strip.html", {**made, "production": production, "shot": shot}, request)
    return JsonResponse({"html": html, "others": made["others"], "more": made["more"]})
