"""Setting a bake up: the part of the Column, the receiver, the kind of table, what it leaves out, and the smallest that
holds.
"""

from __future__ import annotations

import base64
import json
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from django.http import HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.bake import BakeOrder
from upwelling.core.bake.make import formulas
from upwelling.core.bake.receivers import FITTED_UP_TO
from upwelling.core.bake.section import ENDS, STARTS
from upwelling.core.encodings import ENCODINGS
from upwelling.core.errors import UpwellingError
from upwelling.core.packages.naming import FIELDS
from upwelling.core.path import Path
from upwelling.core.proof import FrameSample, Tolerances
from upwelling.core.proof.left_out import LeftOut, left_out
from upwelling.core.proof.solver import Solution, tries
from upwelling.core.proof.trial import Tried
from upwelling.core.tables.formats import FORMATS
from upwelling.web.bakes import solve_plot
from upwelling.web.bakes.orders import frames_that_test, order_for, receivers_of, usual_start
from upwelling.web.bakes.services import name_of, start_bake
from upwelling.web.bakes.variants import variant_of
from upwelling.web.bench.column import column
from upwelling.web.common.lanes import Answer, Lane
from upwelling.web.common.pictures import png
from upwelling.web.common.requests import Refused, json_body, text_of, whole_or
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.listing import choices
from upwelling.web.footage.look_models import looks_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.productions.models import Production

PRESETS = (
    ("Camera to display", "camera", "display"),
    ("Camera to working", "camera", "input"),
    ("Working to display", "trim", "display"),
    ("Look only", "look", "look"),
)


def lost_of(order: BakeOrder, shot: Shot) -> list[LeftOut]:
    """What the order's table leaves out, with the cost on the shot's own frame."""
    frame = frame_of(shot)
    return left_out(order, frame.working, frame.place)


_PARTS = {"camera_trim": "trim", "group_trim": "trim", "group_look": "look", "finish": "rendering"}
"""Strata of layers belong to one of the six that a table's part is told by."""


@require_GET
@shot_view()
def setup(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The page."""
    rules, receivers = production.rule_set, receivers_of(production)
    path, table = path_of(shot), looks_of(production)
    asked = table.versions.get(whole_or(request.GET.get("look")))
    data: dict[str, Any] = {
        "wish": {
            "start": usual_start(shot),
            "end": "display",
            "carrier": "",
            "receiver": receivers[0].name,
            "format": receivers[0].formats[0],
            "dimensions": "3",
            "size": str(receivers[0].sizes(receivers[0].formats[0])[-1]),
            "shaper": "none",
            "output": rules.output,
            "entries": "fitted"
            if receivers[0].prefers_fitted(receivers[0].sizes(receivers[0].formats[0])[-1])
            else "sampled",
            "trim": "with",
            "look": "",
            "frozen": "",
            "called": "",
        },
        "receivers": {
            r.name: {
                "formats": list(r.formats),
                "sizes": {f: list(r.sizes(f)) for f in r.formats},
                "entries": [n for n in (1024, 4096, 16384, 65536) if n <= r.most_entries],
                "said": r.summary(),
                "note": r.note,
            }
            for r in receivers
        },
        "formats": {f.name: {"title": f.title, "shaper": f.shaper, "about": f.about} for f in FORMATS.values()},
        "fitted_up_to": FITTED_UP_TO,
        "starts": list(STARTS),
        "ends": list(ENDS),
        "raw": shot.is_raw,
        "urls": {
            "check": reverse("bake-check", args=[production.slug, shot.pk]),
            "solve": reverse("bake-solve", args=[production.slug, shot.pk]),
        },
    }
    if asked:
        data["wish"] |= {"start": "look", "end": "look", "look": str(asked.look)}
    strata = column(shot, path, shot.settings)
    data["lines"] = {row["stage"]: row["line"] for row in strata}
    for row, above, below in zip(strata, [None, *strata], [*strata[1:], None], strict=False):
        part = row["part"] = _PARTS.get(row["stage"], row["stage"])
        lowest = below is None or _PARTS.get(below["stage"], below["stage"]) != part
        row["begins"] = part if lowest and part in STARTS and (part != "input" or shot.is_raw) else ""
        row["ends"] = part if part in ENDS and (above is None or above["part"] != part) else ""
    return render(
        request,
        "bakes/setup.html",
        {
            "shot": shot,
            "data": data,
            "column": strata,
            "receivers": receivers,
            "presets": PRESETS,
            "encodings": list(ENCODINGS),
            "outputs": rules.outputs,
            "path": path,
            "bakeable": shot.settled.is_settled and shot.is_managed,
            "shots": choices(production.shots.all(), shot.pk),
            "looks": table.offered,
            "plot": solve_plot.frame(),
            "moving": _moving(path),
            "name_words": ", ".join(f"{{{name}}}" for name in FIELDS),
        },
    )


@require_POST
@shot_view()
def check(request: HttpRequest, production: Production, shot: Shot) -> JsonResponse:
    """What a wish would make: its kind of table, its codes, and what it leaves out with the cost on the shot's own
    frame.
    """
    body = json_body(request, "setting")
    order = order_for(shot, body)
    lost = lost_of(order, shot)
    section, r = order.section, order.receiver
    return JsonResponse(
        {
            "file": name_of(shot, order, variant_of(body), text_of(body.get("called"))),
            "said": order.summary(by_formulas=formulas(order) is not None),
            "title": section.title(),
            "stages": list(section.stages),
            "metric": order.judge.metric,
            "lines": {row["stage"]: row["line"] for row in column(shot, order.path, shot.settings)},
            "takes": f"{section.input_name(order.path)} code, {r.input_range} range",
            "gives": f"{section.output_name(order.path)} code, {r.output_range} range",
            "lost": [
                {
                    "name": one.name,
                    "why": one.why,
                    "cost": one.cost(order.judge.metric),
                    "map": _map_of(one),
                    "step": one.step,
                    "matters": one.matters,
                }
                for one in lost
            ],
        }
    )


def _moving(path: Path) -> list[str]:
    """Names of steps that a table could carry but for their changing along the shot."""
    return [step.shown_name for _, step in path.steps() if step.on and step.moves and step.fits_in_lut]


def _map_of(one: LeftOut) -> str:
    """Where in the picture leaving it out falls: a small picture, black for nothing, white for ΔE 5 and more."""
    if one.where is None or not one.matters:
        return ""
    grey = np.rint(255 * np.clip(one.where / WORST_SHOWN, 0, 1)).astype(np.uint8)
    data = base64.b64encode(png(np.ascontiguousarray(np.repeat(grey[..., None], 3, axis=-1)))).decode()
    return f"data:image/png;base64,{data}"


WORST_SHOWN = 5.0
LANE = Lane(2)
"""Trying every grid takes a thread of the server for as long as it lasts."""


@require_POST
@shot_view(change=True)
def smallest(request: HttpRequest, production: Production, shot: Shot) -> StreamingHttpResponse:
    """Every table the receiver takes, one line of JSON for each as it is tried, and at last the smallest that holds, or
    what would make one hold.
    """
    body = json_body(request, "setting")
    order = order_for(
        shot, {**body, "dimensions": "3", "size": "", "shaper": "none", "density": "", "entries": "sampled"}
    )
    person = request.user.pk or 0
    place = LANE.take(person)
    try:
        lines = _tried_lines(
            order, frames_that_test(shot, order), production.rule_set.limits(order.judge.target.is_hdr)
        )
    except BaseException:
        LANE.leave(person, place)
        raise
    return StreamingHttpResponse(Answer(LANE, person, place, lines), content_type="application/x-ndjson")


def _tried_lines(order: BakeOrder, frames: Sequence[FrameSample], limits: Tolerances) -> Iterator[str]:
    tried: list[Tried] = []
    way_out = ""
    try:
        for done, message, found in tries(order, frames=frames, tolerances=limits):
            if isinstance(found, Tried):
                tried.append(found)
            way_out = found if isinstance(found, str) else way_out
            yield _line(
                done=round(done, 3),
                said=message,
                row=solve_plot.point(found, order) if isinstance(found, Tried) else None,
            )
    except UpwellingError as error:
        yield _line(error=str(error))
        return
    solution = Solution.of(tried, order.format, way_out)
    best = solution.best
    yield _line(
        done=1,
        chosen=tried.index(best),
        holds=solution.chosen is not None,
        wish={**best.wish, "dimensions": "3", "size": str(best.size)},
        said=solution.summary(),
    )


def _line(**body: Any) -> str:
    return json.dumps(body, ensure_ascii=False) + "\n"


@require_POST
@shot_view(change=True)
def start(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Starts the bake; refuses what leaves something out that matters without a yes."""
    wish: dict[str, Any] = {
        name: request.POST.get(name, "")
        for name in (
            "start",
            "end",
            "carrier",
            "receiver",
            "format",
            "dimensions",
            "size",
            "shaper",
            "output",
            "trim",
            "look",
            "frozen",
            "density",
            "entries",
        )
    }
    order = order_for(shot, wish)
    found = lost_of(order, shot)
    lost = [one for one in found if one.matters]
    if lost and request.POST.get("yes") != "on":
        raise Refused(
            f"This table leaves out: {', '.join(one.name.lower() for one in lost)} ({order.judge.metric} up to "
            f"{max(one.worst for one in lost):.1f} on the shot’s frame). Tick “Leave it out” to bake it so."
        )
    steps = tuple(one.step for one in found if one.step)
    order = order.model_copy(update={"left_out": steps}) if steps else order
    start_bake(shot, request.user, order, variant_of(wish), request.POST.get("called", ""))
    return redirect("bakes", production.slug)
