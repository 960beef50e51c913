"""A joint look at a showing: who leads it says where the Bench stands, guests see it and are seen to look along."""

from __future__ import annotations

import math
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from upwelling.web.bench.together import ROLES, Joint, begin, end, joint_of, led_by
from upwelling.web.common.requests import Refused, json_body, list_of, text_of
from upwelling.web.productions.models import Production
from upwelling.web.productions.record import enter
from upwelling.web.showings.access import guest_view, showing_view
from upwelling.web.showings.models import Showing, Visitor

COMPARES = ("now", "untrimmed", "wipe", "beside")


@require_POST
@showing_view()
def lead(request: HttpRequest, production: Production, showing: Showing) -> HttpResponse:
    """Begins a joint look, says where its leader stands, ends it; answers who looks along."""
    body = json_body(request, "joint look")
    what = text_of(body.get("what"))
    led = led_by(showing.pk, production.pk, request.user)
    if what == "begin":
        if showing.is_over:
            raise Refused("This showing is over, so nobody could look along. Give it another end first.")
        other = joint_of(showing.pk)
        if other is not None and led is None:
            raise Refused(f"{other.who} leads a joint look at this showing now. Wait until it is over.")
        if led is None:
            led = begin(showing.pk, production.pk, request.user)
            enter(production, request.user, "joint look begun", showing.name)
    elif what == "end":
        if led is not None:
            end(showing.pk)
        return JsonResponse({"on": False, "watching": []})
    elif led is not None and what == "say":
        led.say(_state(body))
    on = led is not None and not showing.is_over
    return JsonResponse({"on": on, "name": showing.name, "watching": led.watching if led else []})


def _state(body: dict[str, Any]) -> dict[str, Any]:
    """Where the leader's page stands, of what it sent: shares of the picture, an angle, a name."""
    compare = text_of(body.get("compare"))
    pointer = [_share(value) for value in list_of(body.get("pointer"))[:2]]
    return {
        "compare": compare if compare in COMPARES else "now",
        "against": text_of(body.get("against"), 120),
        "wipe": _share(body.get("wipe")),
        "angle": _finite(body.get("angle")),
        "pointer": pointer if len(pointer) == 2 else None,
    }


def _finite(value: Any) -> float:
    usable = isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
    return round(float(value), 4) if usable else 0.0


def _share(value: Any) -> float:
    return min(max(_finite(value), 0.0), 1.0)


@require_GET
@guest_view()
def along(request: HttpRequest, showing: Showing, visitor: Visitor) -> HttpResponse:
    """What the leader of a joint look sees now; asked several times a second by those who look along."""
    joint = joint_of(showing.pk)
    if joint is None:
        return JsonResponse({"on": False})
    joint.hand_on()
    if request.GET.get("looks"):
        joint.seen_by(visitor.pk, str(visitor))
    if request.GET.get("number") == str(joint.number):
        return JsonResponse({"on": True, "number": joint.number})
    return JsonResponse(
        {"on": True, "who": joint.who, "number": joint.number, **joint.state, **_pictures(showing, joint)}
    )


def _pictures(showing: Showing, joint: Joint) -> dict[str, Any]:
    return {
        role: {
            "address": reverse("showing-along-picture", args=[showing.token, role, one.number]),
            "said": one.said,
            "height": one.picture.shape[0],
            "width": one.picture.shape[1],
        }
        for role, one in list(joint.pictures.items())
    }


@require_GET
@guest_view()
def along_picture(request: HttpRequest, showing: Showing, visitor: Visitor, role: str, number: int) -> HttpResponse:
    """A picture of a joint look; the newest of its role, whichever was asked for."""
    joint = joint_of(showing.pk)
    shown = joint.pictures.get(role) if joint is not None and role in ROLES else None
    if shown is None:
        raise Http404
    data, kind = shown.file()
    return HttpResponse(data, content_type=kind, headers={"Cache-Control": "private, no-store"})
