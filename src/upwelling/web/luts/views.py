"""The library of tables brought in, and the inspector."""

from __future__ import annotations

import tempfile
from pathlib import Path as FilePath

from django.conf import settings
from django.contrib import messages
from django.http import FileResponse, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.encodings import ENCODINGS
from upwelling.core.errors import UpwellingError
from upwelling.core.lut_facts import compare_luts, measure
from upwelling.core.outputs import OUTPUTS
from upwelling.web.errors import Refused
from upwelling.web.luts.models import ImportedLut
from upwelling.web.luts.plots import cube_points, curves_plot, hex_colour, slices
from upwelling.web.luts.services import bring_in_lut, declare, gives_display, remove_lut, use_as_input, use_as_rendering
from upwelling.web.productions.models import Production, production_for


def lut_for(request: HttpRequest, slug: str, pk: int, *, change: bool = False) -> tuple[Production, ImportedLut]:
    """A table for a member of its production."""
    production = production_for(request.user, slug, change=change)
    row = get_object_or_404(ImportedLut, pk=pk, production=production)
    row.production = production
    return production, row


@require_POST
def bring_in(request: HttpRequest, slug: str) -> HttpResponse:
    """Takes table files in; each bad one is said, the good ones stay."""
    production = production_for(request.user, slug, change=True)
    files = request.FILES.getlist("file")
    if not files:
        raise Refused("Choose a table file: .cube, .clf, or a Hald image (.png).")
    made: list[ImportedLut] = []
    problems: list[UpwellingError] = []
    FilePath(settings.FILES).mkdir(parents=True, exist_ok=True)
    for uploaded in files:
        with tempfile.NamedTemporaryFile(dir=settings.FILES, delete=True) as temporary:
            for chunk in uploaded.chunks():
                temporary.write(chunk)
            temporary.flush()
            try:
                made.append(bring_in_lut(production, request.user, uploaded.name or "table.cube", FilePath(temporary.name)))
            except UpwellingError as error:
                problems.append(error)
    if not made:
        raise problems[0]
    for row in made:
        messages.success(request, f"{row.name} is here. Declare what code it expects and gives; until then nothing runs through it.")
    for problem in problems:
        messages.error(request, str(problem))
    return redirect("lut", slug, made[0].pk) if len(files) == 1 else redirect("looks", slug)


@require_GET
def inspector(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """What a table does: evidence, curves, cube, slices, figures; ``?with=`` compares it with another."""
    production, row = lut_for(request, slug, pk)
    others = list(production.luts.exclude(pk=pk))
    chosen = request.GET.get("with", "")
    other = next((o for o in others if str(o.pk) == chosen), None)
    lut = row.lut
    facts = measure(lut, row.interpolation)  # type: ignore[arg-type]
    compared = None
    if other is not None:
        target = OUTPUTS.get(row.gives, OUTPUTS["BT.709 BT.1886"])
        target = OUTPUTS["BT.709 BT.1886"] if target.is_hdr else target
        found = compare_luts(lut, other.lut, target, row.interpolation)  # type: ignore[arg-type]
        compared = {"figures": found, "target": target.name, "worst": [
            {"code": [round(float(v) * 1023) for v in place], "first": hex_colour(a), "second": hex_colour(b), "delta_e": float(d)}
            for place, a, b, d in zip(found.places, found.first, found.second, found.delta_e, strict=True)]}
    return render(request, "luts/inspector.html", {
        "production": production, "lut": row, "facts": facts, "role": production.role_of(request.user), "others": others, "other": other, "compared": compared,
        "plot": curves_plot(facts, measure(other.lut) if other else None), "cube": cube_points(lut), "slices": slices(lut), "evidence": row.evidence_json,
        "encodings": list(ENCODINGS), "outputs": list(OUTPUTS), "as_display": gives_display(row), "clipped": {"low": 100 * facts.clipped_low, "high": 100 * facts.clipped_high},
        "folds": 100 * facts.folds,
    })


@require_POST
def declare_spaces(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Saves what a table expects and gives."""
    _, row = lut_for(request, slug, pk, change=True)
    declare(row, **{name: request.POST.get(name, default) for name, default in (
        ("expects", ""), ("expects_range", "full"), ("gives", ""), ("gives_range", "full"), ("interpolation", "tetrahedral"))})
    messages.success(request, f"{row.name}: {row.expects} in, {row.gives} out." if row.is_declared else f"{row.name} is not declared; nothing runs through it.")
    return redirect("lut", slug, pk)


@require_POST
def use(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Makes a table the production's rendering, or an encoding of the production."""
    _, row = lut_for(request, slug, pk, change=True)
    if request.POST.get("as") == "rendering":
        given = use_as_rendering(row)
        messages.success(request, f"{row.name} is the rendering for {', '.join(given)} now; other outputs keep theirs. The Outputs page brings another back.")
        return redirect("lut", slug, pk)
    if request.POST.get("as") == "input":
        made = use_as_input(row, request.user, request.POST.get("name", "").strip())
        messages.success(request, f"“{made.name}” is an encoding of this production now: choose it for a camera or a shot.")
        return redirect("own-encodings", slug)
    raise Refused("A table is used as a rendering or as an input.")


@require_POST
def remove(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Takes a table off the list."""
    _, row = lut_for(request, slug, pk, change=True)
    remove_lut(row)
    messages.success(request, f"{row.name} is removed. Looks and renderings made with it keep their copy.")
    return redirect("looks", slug)


@require_GET
def download(request: HttpRequest, slug: str, pk: int) -> FileResponse:
    """The file as it was brought in."""
    _, row = lut_for(request, slug, pk)
    return FileResponse(row.disk_path.open("rb"), as_attachment=True, filename=row.name, content_type="application/octet-stream")
