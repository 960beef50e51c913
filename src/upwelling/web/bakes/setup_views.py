"""Setting a bake up: the part of the Column, the receiver, the kind of table, what it leaves out, and the smallest that holds."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.bake import BakeOrder, FrameSample, Tolerances
from upwelling.core.bake.left_out import left_out
from upwelling.core.bake.make import formulas
from upwelling.core.bake.receivers import FITTED_UP_TO
from upwelling.core.bake.section import BOUNDARY_TITLES, ENDS, STARTS
from upwelling.core.bake.solver import Solution, tries
from upwelling.core.bake.trial import Tried
from upwelling.core.encodings import ENCODINGS
from upwelling.core.errors import UpwellingError
from upwelling.core.lut_files import FORMATS
from upwelling.web.bakes import solve_plot
from upwelling.web.bakes.orders import frame_code, order_for, receivers_of, test_frames
from upwelling.web.bakes.services import start_bake
from upwelling.web.bakes.variants import variant_of
from upwelling.web.bench.column import column
from upwelling.web.errors import Refused, json_body
from upwelling.web.footage.looks import looks_of
from upwelling.web.footage.models import shots_of
from upwelling.web.footage.views import shot_for
from upwelling.web.productions.models import Member

PRESETS = (("Camera to display", "camera", "display"), ("Camera to working", "camera", "input"), ("Working to display", "trim", "display"), ("Look only", "look", "look"))


@require_GET
def setup(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """The page."""
    production, shot = shot_for(request, slug, pk)
    rules, receivers = production.rule_set, receivers_of(production)
    path, table = shot.path(), looks_of(production)
    asked = table.versions.get(int(request.GET["look"])) if request.GET.get("look", "").isdigit() else None
    data: dict[str, Any] = {
        "wish": {"start": "trim" if shot.is_raw else "camera", "end": "display", "carrier": "", "receiver": receivers[0].name, "format": receivers[0].formats[0],
                 "dimensions": "3", "size": str(receivers[0].sizes(receivers[0].formats[0])[-1]), "shaper": "none", "output": rules.output,
                 "entries": "fitted" if receivers[0].prefers_fitted(receivers[0].sizes(receivers[0].formats[0])[-1]) else "sampled",
                 "trim": "with", "look": ""},
        "receivers": {r.name: {"formats": list(r.formats), "sizes": {f: list(r.sizes(f)) for f in r.formats}, "entries": [n for n in (1024, 4096, 16384, 65536) if n <= r.most_entries],
                               "said": r.said(), "note": r.note} for r in receivers},
        "formats": {f.name: {"title": f.title, "shaper": f.shaper, "about": f.about} for f in FORMATS.values()},
        "fitted_up_to": FITTED_UP_TO, "starts": list(STARTS), "ends": list(ENDS), "raw": shot.is_raw,
        "urls": {"check": reverse("bake-check", args=[slug, pk]), "solve": reverse("bake-solve", args=[slug, pk])},
    }
    if asked:
        data["wish"] |= {"start": "look", "end": "look", "look": str(asked.look)}
    strata = column(shot, path, shot.settings)
    data["lines"] = {row["stage"]: row["line"] for row in strata}
    for row in strata:
        row["begins"] = row["stage"] if row["stage"] in STARTS else ""
        row["ends"] = row["stage"] if row["stage"] in ENDS else ""
    return render(request, "bakes/setup.html", {
        "production": production, "shot": shot, "data": data, "column": strata, "receivers": receivers, "presets": PRESETS, "encodings": list(ENCODINGS),
        "outputs": [rules.output, *(d.output for d in rules.deliveries)], "role": production.role_of(request.user), "path": path,
        "may": production.role_of(request.user) == Member.Role.TECHNICIAN and shot.settled.is_settled and shot.is_managed, "shots": shots_of(production),
        "titles": BOUNDARY_TITLES, "looks": table.offered, "plot": solve_plot.frame(),
    })


@require_POST
def check(request: HttpRequest, slug: str, pk: int) -> JsonResponse:
    """What a wish would make: its kind of table, its codes, and what it leaves out with the cost on the shot's own frame."""
    body = json_body(request, "setting")
    _, shot = shot_for(request, slug, pk)
    order = order_for(shot, body)
    lost = left_out(order, frame_code(shot))
    section, r = order.section, order.receiver
    return JsonResponse({
        "said": order.said(by_formulas=formulas(order) is not None), "title": section.title(), "stages": list(section.stages), "metric": order.judge.metric,
        "lines": {row["stage"]: row["line"] for row in column(shot, order.path, shot.settings)},
        "takes": f"{section.input_name(order.path)} code, {r.input_range} range", "gives": f"{section.output_name(order.path)} code, {r.output_range} range",
        "lost": [{"name": one.name, "why": one.why, "cost": f"{order.judge.metric} half {one.median:.2f}, 99 % {one.p99:.2f}, worst {one.worst:.1f} on this shot’s frame",
                  "step": one.step, "matters": one.matters} for one in lost],
    })


@require_POST
def smallest(request: HttpRequest, slug: str, pk: int) -> StreamingHttpResponse:
    """Every table the receiver takes, one line of JSON for each as it is tried, and at last the smallest that holds, or what would make one hold."""
    body = json_body(request, "setting")
    production, shot = shot_for(request, slug, pk)
    order = order_for(shot, {**body, "dimensions": "3", "size": "", "shaper": "none", "density": "", "entries": "sampled"})
    return StreamingHttpResponse(_tried_lines(order, test_frames(shot, order), production.rule_set.limits(order.judge.target.is_hdr)), content_type="application/x-ndjson")


def _tried_lines(order: BakeOrder, frames: Sequence[FrameSample], limits: Tolerances) -> Iterator[str]:
    tried: list[Tried] = []
    way_out = ""
    try:
        for done, message, found in tries(order, frames=frames, tolerances=limits):
            if isinstance(found, Tried):
                tried.append(found)
            way_out = found if isinstance(found, str) else way_out
            yield _line(done=round(done, 3), said=message, row=solve_plot.point(found, order) if isinstance(found, Tried) else None)
    except UpwellingError as error:
        yield _line(error=str(error))
        return
    solution = Solution.of(tried, order.format, way_out)
    best = solution.best
    yield _line(done=1, chosen=tried.index(best), holds=solution.chosen is not None, wish={**best.wish, "dimensions": "3", "size": str(best.size)},
                said=solution.said())


def _line(**body: Any) -> str:
    return json.dumps(body, ensure_ascii=False) + "\n"


@require_POST
def start(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Starts the bake; refuses what leaves something out that matters without a yes."""
    _, shot = shot_for(request, slug, pk, change=True)
    wish: dict[str, Any] = {name: request.POST.get(name, "") for name in ("start", "end", "carrier", "receiver", "format", "dimensions", "size", "shaper", "output", "trim", "look", "density", "entries")}
    order = order_for(shot, wish)
    found = left_out(order, frame_code(shot))
    lost = [one for one in found if one.matters]
    if lost and request.POST.get("yes") != "on":
        raise Refused(f"This table leaves out: {', '.join(one.name.lower() for one in lost)} ({order.judge.metric} up to {max(one.worst for one in lost):.1f} on the shot’s frame). "
                      "Tick “Leave it out” to bake it so.")
    steps = tuple(one.step for one in found if one.step)
    start_bake(shot, request.user, order.model_copy(update={"left_out": steps}) if steps else order, variant_of(wish))
    return redirect("bakes", slug)
