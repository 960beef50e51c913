"""ASC CDL of the shots: the part of each trim and Look that is one, what the rest costs, and the files."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET

from upwelling.core import engine
from upwelling.core.bake.cdl_part import MEANING, CdlPart, cdl_part
from upwelling.core.bake.judge import Judge
from upwelling.core.lut.formats.cdl import Correction, format_cdl
from upwelling.core.lut.formats.edl import Event, format_edl
from upwelling.core.path import Look, Path, Trim
from upwelling.web.errors import Refused
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.models import Shot, shots_of
from upwelling.web.footage.pictures import block_mean
from upwelling.web.productions.models import production_for

ENDINGS = (".ccc", ".cdl", ".edl", ".cc")
MATTERS = 0.05


@dataclass(frozen=True)
class Row:
    """One shot: its CDL, and ΔE at 99 % of its frame's pixels between all of its steps and the CDL alone."""

    shot: Shot
    part: CdlPart
    p99: float
    metric: str
    partial_look: str = ""

    @property
    def left_out(self) -> list[str]:
        """What it cannot say, by name."""
        return [*(step.shown_name for step in self.part.left_out), *([self.partial_look] if self.partial_look else [])]

    @property
    def whole(self) -> bool:
        return self.p99 <= MATTERS


def row_of(shot: Shot) -> Row:
    """What of a shot's trim and Look a CDL can say, and the cost of the rest on its own frame."""
    path = shot.path()
    look = path.look.steps if path.look.on and path.look.strength == 1 else ()
    steps = (*path.trim.steps, *look) if path.trim.on else look
    part = cdl_part([step for step in steps if path.takes(step)])
    partial = f"Look {path.look.name} at {path.look.strength * 100:.0f} %" if path.look.steps and path.look.on and path.look.strength < 1 else ""
    if not part.left_out and not partial:
        return Row(shot, part, 0.0, "ΔE 2000")
    small = np.ascontiguousarray(block_mean(frame_of(shot).working, 6)).reshape(-1, 3)
    alone = path.model_copy(update={"trim": Trim(steps=(part.said,) if part.said else ()), "look": Look()})
    judge = Judge(path.target, ())
    seen = [judge.seen(_signal(one, small)) for one in (path, alone)]
    return Row(shot, part, float(np.percentile(judge.apart(*seen), 99)), judge.metric, partial)


def _signal(path: Path, code: Any) -> Any:
    full = path.model_copy(update={"display": path.display.model_copy(update={"range": "full"})})
    return engine.run(engine.compile_operations(full.operations()), code).astype(np.float64)


def _rows(request: HttpRequest, slug: str) -> tuple[Any, list[Row]]:
    production = production_for(request.user, slug)
    return production, [row_of(shot) for shot in shots_of(production) if shot.settled.is_settled and shot.is_managed]


@require_GET
def cdl(request: HttpRequest, slug: str) -> HttpResponse:
    """The page."""
    production, rows = _rows(request, slug)
    return render(request, "bakes/cdl.html", {"production": production, "rows": rows, "endings": ENDINGS[:3], "meaning": MEANING, "role": production.role_of(request.user)})


@require_GET
def cdl_file(request: HttpRequest, slug: str) -> HttpResponse:
    """The chosen shots' corrections as a file; ``ending`` is one of ENDINGS."""
    production, rows = _rows(request, slug)
    ending, wanted = request.GET.get("ending", ""), set(request.GET.getlist("shot"))
    chosen = [row for row in rows if str(row.shot.pk) in wanted]
    if ending not in ENDINGS:
        raise Refused(f"Corrections are written as {', '.join(ENDINGS)}.")
    if not chosen:
        raise Refused("Choose at least one shot.")
    if ending == ".cc" and len(chosen) != 1:
        raise Refused("A .cc file holds one correction: choose one shot, or take .ccc.")
    if ending == ".edl":
        events = [Event(n, row.shot.camera.name if row.shot.camera else "AX", row.shot.name, row.shot.first_frame, row.shot.first_frame + row.shot.frames, row.part.cdl)
                  for n, row in enumerate(chosen, 1)]
        text = format_edl(production.name, events)
    else:
        text = format_cdl([Correction(row.shot.name, row.part.cdl, _said(row)) for row in chosen], ending)
    name = f"{production.slug}{'-' + str(chosen[0].shot.pk) if ending == '.cc' else ''}{ending}"
    return HttpResponse(text, content_type="text/plain; charset=utf-8", headers={"Content-Disposition": content_disposition_header(True, name)})


def _said(row: Row) -> str:
    left = ", ".join(row.left_out)
    return MEANING + (f" Leaves out {left}: {row.metric} {row.p99:.2f} at 99 % of its frame." if left else "")
