"""ASC CDL of the shots: the part of each trim and Look that is one, what the rest costs, and the files."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from django.core.cache import cache
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET, require_POST
from pydantic import ValidationError

from upwelling.core import engine
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.errors import UnreadableFile, UpwellingError
from upwelling.core.lut.formats.cdl import CdlCorrection, format_cdl
from upwelling.core.lut.formats.edl import CdlEvent, format_edl
from upwelling.core.lut.process import CdlNode
from upwelling.core.measure.judge import Judge
from upwelling.core.operations import Encode, Place
from upwelling.core.outputs import Output
from upwelling.core.packages.cdl_fit import nearest_cdl
from upwelling.core.packages.cdl_part import MEANING, CdlPart, cdl_part, step_of
from upwelling.core.path import LAYERS, Layer, Path
from upwelling.core.steps import AnyStep
from upwelling.web.common.downloads import text_file
from upwelling.web.common.paging import page_of
from upwelling.web.common.requests import Refused, json_body, whole
from upwelling.web.footage.finding import chosen_numbers, found, shot_finder
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.listing import loaded, managed
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_at, problem_of
from upwelling.web.productions.access import production_view
from upwelling.web.productions.models import Production

ENDINGS = (".ccc", ".cdl", ".edl", ".cc")
MATTERS, EACH = 0.05, 24
"""A difference that is told, and shots on one page: the cost of each is measured on its frame."""
ASKED_AGAIN = 60
"""Seconds after which a frame that could not be read is tried anew."""


@dataclass(frozen=True)
class CdlRow:
    """One shot: its CDL, and ΔE at 99 % of its frame's pixels between all of its steps and the CDL alone."""

    shot: Shot
    part: CdlPart
    p99: float
    metric: str
    beyond: tuple[str, ...] = ()
    fitted: bool = False
    """Whether the CDL is the nearest to all steps, instead of the one step that is a CDL."""
    trouble: str = ""
    """Why the cost of what is left out is not known: the shot's frame cannot be read."""
    pending: bool = False
    """Whether its numbers are still to be worked out."""

    @property
    def left_out(self) -> list[str]:
        """What it cannot say, by name."""
        return [*(step.shown_name for step in self.part.left_out), *self.beyond]

    @property
    def whole(self) -> bool:
        return self.p99 <= MATTERS and not self.trouble and not self.pending


def row_or_trouble(shot: Shot, *, nearest: bool = True, ready: bool = False) -> CdlRow:
    """As ``row_of``; a missing footage file costs the figure of its own line, a path that cannot be made the whole
    line.
    """
    told = cache.get(f"cdl-trouble-{shot.pk}-{shot.version}") if ready else None
    if told:
        return replace(row_of(shot, measured=False), trouble=told)
    try:
        return row_of(shot, nearest=nearest, ready=ready)
    except UnreadableFile as error:
        return replace(row_of(shot, measured=False), trouble=str(error))
    except (UpwellingError, ValidationError):
        return CdlRow(shot, cdl_part([]), 0.0, "ΔE 2000", trouble=problem_of(shot))


def row_of(shot: Shot, *, measured: bool = True, nearest: bool = True, ready: bool = False) -> CdlRow:
    """What of a shot's trim and Look a CDL can say, and the cost of the rest on its own frame. ``nearest``: where there
    is a rest, the CDL that comes nearest to the whole on that frame, if it costs less than leaving the rest out.
    """
    path = path_at(shot)
    layers = [layer for layer in path.layers if layer.light == "scene" and layer.acting(path.target)]
    part = cdl_part([step for layer in layers if layer.strength == 1 for step in _loose(layer, path.target)], (WEAK,))
    finish = path.layer("finish")
    partial = [layer for layer in layers if layer.strength < 1] + ([finish] if finish.acting(path.target) else [])
    beyond = tuple(layer.sentence() for layer in partial)
    if (not part.left_out and not beyond) or not measured:
        return CdlRow(shot, part, 0.0, "ΔE 2000", beyond)
    known = f"cdl-3-{path.fingerprint}-{shot.sha256}-{shot.frame}"
    kept = cache.get(known)
    if kept is None and ready:
        return CdlRow(shot, part, 0.0, "ΔE 2000", beyond, pending=True)
    if kept is None:
        kept = _measured(path, part, *frame_of(shot).reduced(6))
        cache.set(known, kept, None)
    metric, by_part, fit, by_fit = kept
    if nearest and by_fit < by_part:
        return CdlRow(shot, replace(part, cdl=fit), by_fit, metric, beyond, fitted=True)
    return CdlRow(shot, part, by_part, metric, beyond)


WEAK = "weak"


def _loose(layer: Layer, target: Output) -> list[AnyStep]:
    """A layer's steps for an output, those of a group that is mixed in by a strength marked."""
    weak = {group.id for group in layer.groups if group.strength < 1}
    return [s.model_copy(update={"group": WEAK}) if s.group in weak else s for s in layer.taken(target)]


def _measured(path: Path, part: CdlPart, code: Any, place: Place) -> tuple[str, float, CdlNode, float]:
    """The metric, what the step that is a CDL costs on a frame, the nearest CDL to the whole, and what that costs."""
    before, after = (
        engine.run(engine.compile_operations((*path.until(stage), Encode(ACESCCT))), code, place=place)
        for stage in ("camera_trim", "rendering")
    )
    fit = nearest_cdl(before.reshape(-1, 3), after.reshape(-1, 3))
    judge = Judge(path.target, ())
    steps = [(part.said,) if part.said else (), (step_of(fit, "nearest"),)]
    bare = path.without_layers(*LAYERS)
    alone = [bare.with_layers(trim=Layer(steps=one)) for one in steps]
    whole, *others = (judge.seen(_signal(one, code, place)) for one in (path, *alone))
    by_part, by_fit = (float(np.percentile(judge.apart(whole, one), 99)) for one in others)
    return judge.metric, by_part, fit, by_fit


def _signal(path: Path, code: Any, place: Place) -> Any:
    full = path.model_copy(update={"display": path.display.model_copy(update={"range": "full"})})
    return engine.run(engine.compile_operations(full.operations()), code, place=place).astype(np.float64).reshape(-1, 3)


def _nearest(request: HttpRequest) -> bool:
    """Whether the nearest CDL to all steps is asked for, and not only the step that is one."""
    return request.GET.get("say") != "part"


@require_GET
@production_view()
def cdl(request: HttpRequest, production: Production) -> HttpResponse:
    """The page."""
    asked = shot_finder(request.GET, production)
    page = page_of(request, found(asked, managed(production)), EACH)
    nearest = _nearest(request)
    rows = [row_or_trouble(shot, nearest=nearest, ready=True) for shot in loaded(production, page.object_list)]
    return render(
        request,
        "bakes/cdl.html",
        {"rows": rows, "page": page, "finder": asked, "nearest": nearest, "endings": ENDINGS[:3], "meaning": MEANING},
    )


@require_POST
@production_view()
def measure(request: HttpRequest, production: Production) -> JsonResponse:
    """Works out one shot's numbers, which the page waits for; they are kept by the path's fingerprint."""
    number = whole(json_body(request, "measure").get("shot"))
    for shot in loaded(production, [number]):
        row = row_or_trouble(shot)
        if row.trouble:
            cache.set(f"cdl-trouble-{shot.pk}-{shot.version}", row.trouble, ASKED_AGAIN)
    return JsonResponse({"shot": number})


@require_GET
@production_view()
def cdl_file(request: HttpRequest, production: Production) -> HttpResponse:
    """The chosen shots' corrections as a file; ``ending`` is one of ENDINGS."""
    ending = request.GET.get("ending", "")
    if ending not in ENDINGS:
        raise Refused(f"Corrections are written as {', '.join(ENDINGS)}.")
    numbers = chosen_numbers(request.GET, production, managed(production))
    rows = [row_or_trouble(shot, nearest=_nearest(request)) for shot in loaded(production, numbers)]
    if not rows:
        raise Refused("Choose at least one shot.")
    if ending == ".cc" and len(rows) != 1:
        raise Refused("A .cc file holds one correction: choose one shot, or take .ccc.")
    if ending == ".edl":
        events = [
            CdlEvent(
                n,
                row.shot.camera.name if row.shot.camera else "AX",
                row.shot.name,
                row.shot.first_frame,
                row.shot.first_frame + row.shot.frames,
                row.part.cdl,
            )
            for n, row in enumerate(rows, 1)
        ]
        text = format_edl(production.name, events)
    else:
        text = format_cdl([CdlCorrection(row.shot.name, row.part.cdl, _said(row)) for row in rows], ending)
    name = f"{production.slug}{'-' + str(rows[0].shot.pk) if ending == '.cc' else ''}{ending}"
    return text_file(text, name, "text/plain; charset=utf-8")


def _said(row: CdlRow) -> str:
    left = ", ".join(row.left_out)
    cost = (
        f"at a cost that is not known ({row.trouble})"
        if row.trouble
        else f"{row.metric} {row.p99:.2f} at 99 % of its frame"
    )
    begins = "Comes nearest to the whole, which has" if row.fitted else "Leaves out"
    return MEANING + (f" {begins} {left}: {cost}." if left else "")
