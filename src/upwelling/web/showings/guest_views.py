"""What a guest comes to by the link of a showing: the page, its pictures and movies, what is said."""

from __future__ import annotations

import json
from typing import Any

from django.http import FileResponse, Http404, HttpRequest, HttpResponse, HttpResponseBase, JsonResponse
from django.shortcuts import redirect, render
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_http_methods, require_POST
from whitenoise.responders import StaticFile

from upwelling.core.delivery.shown import judging_strip
from upwelling.core.errors import UpwellingError
from upwelling.core.media.base import quantise
from upwelling.core.media.png import encode
from upwelling.web.common.downloads import FOR_EVER
from upwelling.web.common.requests import json_body
from upwelling.web.productions.remarks import MOST
from upwelling.web.showings.access import guest_view
from upwelling.web.showings.guests import (
    come_in,
    guest_remarks,
    movie_file,
    movie_of,
    page_data,
    seen_again,
    set_cookie,
    state_of,
    take_remark,
)
from upwelling.web.showings.models import Showing, Visitor


@require_GET
@guest_view(door=True)
def showing(request: HttpRequest, showing: Showing, visitor: Visitor | None) -> HttpResponse:
    """The showing; who has not come in yet is asked for a name, and the pass phrase where there is one."""
    if visitor is None:
        return render(request, "showings/door.html", {"showing": showing})
    seen_again(visitor)
    target = showing.production.output_named(showing.output)
    stands_in = showing.production.output_named(showing.sdr_output) if showing.sdr_output else target
    seen = {
        "showing": showing,
        "visitor": visitor,
        "data": json.dumps(page_data(showing)),
        "target": target,
        "stands_in": stands_in,
        "most": MOST,
    }
    return render(request, "showings/guest.html", seen)


@require_POST
@guest_view(door=True)
def enter(request: HttpRequest, showing: Showing, visitor: Visitor | None) -> HttpResponse:
    """Somebody comes in, by name if they like."""
    try:
        visitor = visitor or come_in(showing, request.POST.get("phrase", ""), request.POST.get("name", ""))
    except UpwellingError as error:
        said = {"showing": showing, "problem": str(error), "name": request.POST.get("name", "")}
        return render(request, "showings/door.html", said, status=403)
    answer = redirect(showing.address)
    set_cookie(answer, showing, visitor)
    return answer


@require_GET
@guest_view()
def picture(request: HttpRequest, showing: Showing, visitor: Visitor, pk: int, kind: str) -> HttpResponseBase:
    """A still of the showing; to be saved with ``?save=1`` where that is allowed."""
    state = state_of(showing, pk)
    if state is None or not state.made or kind not in (*state.made, "small"):
        raise Http404
    save = bool(request.GET.get("save")) and showing.downloads_allowed
    name = f"{slugify(state.item.name) or 'still'}-{slugify(state.name) or state.pk}.png"
    try:
        file = state.place(kind).open("rb")
    except OSError:
        raise Http404 from None
    return FileResponse(
        file, as_attachment=save, filename=name, content_type="image/png", headers={"Cache-Control": FOR_EVER}
    )


@require_GET
@guest_view()
def movie(request: HttpRequest, showing: Showing, visitor: Visitor, pk: int) -> HttpResponseBase:
    """A movie of the showing, or the part of it that the browser asks for."""
    row = movie_of(showing, pk)
    place = movie_file(row) if row else None
    if place is None:
        raise Http404
    if request.GET.get("save") and showing.downloads_allowed:
        return FileResponse(place.open("rb"), as_attachment=True, filename=place.name, content_type="video/mp4")
    kept = [("Content-Type", "video/mp4"), ("Cache-Control", "private, max-age=86400")]
    found = StaticFile(str(place), kept).get_response(request.method, request.META)
    answer = FileResponse(found.file or (), status=int(found.status))
    for name, value in (("Accept-Ranges", "bytes"), *found.headers):
        answer[name] = value
    return answer


@require_GET
@guest_view()
def strip(request: HttpRequest, showing: Showing, visitor: Visitor) -> HttpResponse:
    """The strip by which a screen is judged."""
    codes = quantise("strip.png", judging_strip(), 8)
    return HttpResponse(encode(codes), content_type="image/png", headers={"Cache-Control": FOR_EVER})


@require_http_methods(["GET", "POST"])
@guest_view()
def remarks(request: HttpRequest, showing: Showing, visitor: Visitor) -> HttpResponse:
    """What guests said, the newest first; sent to, it keeps or settles one before. What is made meanwhile comes too."""
    if request.method == "POST":
        take_remark(showing, visitor, json_body(request, "remark"))
    items: Any = page_data(showing)["items"]
    said = guest_remarks(showing, visitor)
    return JsonResponse({"remarks": said, "items": items, "name": visitor.name})
