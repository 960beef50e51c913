"""What people say of a frame of a shot: where in the picture, and of which picture."""

from __future__ import annotations

import re
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_http_methods

from upwelling.core.documents import sealed
from upwelling.web.bench.remarks import answer_words, remark_rows
from upwelling.web.common.requests import Refused, json_body, text_of, whole
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.productions.models import Production
from upwelling.web.productions.remark_places import read_place
from upwelling.web.productions.remarks import MOST, Remark, reply, settle, write_remark

SEEN = re.compile(r"[0-9a-f]{12}")


@require_http_methods(["GET", "POST"])
@shot_view(says=True)
def remarks_of_shot(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The shot's remarks, the newest first; sent to, it keeps or settles one before."""
    changes = request.may.change  # type: ignore[attr-defined]
    if request.method == "POST":
        body = json_body(request, "remark")
        what = text_of(body.get("what"))
        if what == "write":
            _write(production, shot, request.user, body)
        else:
            one = get_object_or_404(Remark, pk=whole(body.get("remark")), kind="shot", number=shot.pk)
            if what == "reply":
                reply(one, request.user, text_of(body.get("text"), MOST + 1))
            else:
                words = answer_words(shot, one) if what == "answered" else ""
                settle(one, request.user, what, changes=changes, words=words)
    return JsonResponse({"remarks": remark_rows(shot, request.user, changes=changes)})


def _write(production: Production, shot: Shot, user: Any, body: dict[str, Any]) -> None:
    frame = min(max(whole(body.get("frame")), shot.first_frame), shot.last_frame)
    seen = text_of(body.get("seen"))
    if not SEEN.fullmatch(seen):
        raise Refused("The page did not say which picture this is said of. Wait until it is drawn, or reload the page.")
    output = text_of(body.get("output"), 80)
    if not path_of(shot, None, output).at(frame).fingerprint.startswith(seen):
        raise Refused(
            "The picture on the screen is not the one that is saved: it is seen without the trim, as a try, or with "
            "changes that are not saved yet, or somebody has changed it meanwhile. Go back to Now, and say it again."
        )
    write_remark(
        production,
        user,
        ("shot", shot.pk, f"{shot.name}, {shot.frame_said(frame)}"),
        text_of(body.get("text"), MOST + 1),
        question=body.get("question") is True,
        frame=frame,
        place=read_place(body.get("place")),
        seen=seen,
        output=output,
        settings_then=sealed("shot settings", shot.settings.model_dump(mode="json")),
    )
