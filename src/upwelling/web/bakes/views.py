"""Bakes: the list, starting one, its certificate, and downloads."""

from __future__ import annotations

import json

from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.bake import Certificate
from upwelling.web.bakes.models import Bake
from upwelling.web.bakes.services import SIZES, start_bake
from upwelling.web.bakes.swatches import neutral_plot, swatches
from upwelling.web.errors import Refused
from upwelling.web.footage.models import Shot
from upwelling.web.productions.models import Production, production_for


@require_GET
def bakes(request: HttpRequest, slug: str) -> HttpResponse:
    """All bakes of a production and a form for a new one; ``?shot=`` chooses the shot."""
    production = production_for(request.user, slug)
    shots = list(production.shots.all())
    chosen = request.GET.get("shot", "")
    return render(request, "bakes/bakes.html", {
        "production": production, "role": production.role_of(request.user), "shots": shots, "sizes": SIZES,
        "chosen": int(chosen) if chosen.isdigit() else (shots[0].pk if shots else None),
        "bakes": production.bakes.select_related("job", "shot__production"), "rules": production.rule_set,
    })


@require_POST
def start(request: HttpRequest, slug: str) -> HttpResponse:
    """Starts a bake."""
    production = production_for(request.user, slug, change=True)
    chosen = request.POST.get("shot", "")
    if not chosen.isdigit():
        raise Refused("Choose a shot to bake.")
    shot = get_object_or_404(Shot, pk=int(chosen), production=production)
    size = request.POST.get("size", "")
    start_bake(shot, request.user, size=int(size) if size.isdigit() else 0, code_range=request.POST.get("range", "full"))
    return redirect("bakes", slug)


def _bake(request: HttpRequest, slug: str, pk: int) -> tuple[Production, Bake]:
    production = production_for(request.user, slug)
    return production, get_object_or_404(Bake.objects.select_related("shot__production"), pk=pk, production=production)


def _certified(request: HttpRequest, slug: str, pk: int) -> tuple[Production, Bake, Certificate]:
    production, bake = _bake(request, slug, pk)
    report = bake.certificate
    if report is None:
        raise Http404
    return production, bake, report


@require_GET
def certificate(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """The certificate as a page."""
    production, bake, report = _certified(request, slug, pk)
    return render(request, "bakes/certificate.html", {
        "production": production, "bake": bake, "certificate": report, "path": bake.path,
        "swatches": swatches(report, bake.path), "plot": neutral_plot(report),
        "recipe": json.dumps(bake.recipe, indent=2, ensure_ascii=False),
        "recipe_name": bake.file_name.removesuffix(".cube") + ".recipe.json",
        "clipped_domain": f"{report.clipped_domain:.2%}",
        "clipped_frame": None if report.clipped_frame is None else f"{report.clipped_frame:.2%}",
    })


@require_GET
def download(request: HttpRequest, slug: str, pk: int) -> FileResponse:
    """The LUT file."""
    _, bake = _bake(request, slug, pk)
    if not bake.file or not bake.disk_path.exists():
        raise Http404
    return FileResponse(bake.disk_path.open("rb"), as_attachment=True, filename=bake.file_name, content_type="text/plain")


@require_GET
def certificate_json(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """The certificate as JSON."""
    _, bake, report = _certified(request, slug, pk)
    name = bake.file_name.removesuffix(".cube") + ".certificate.json"
    return HttpResponse(report.model_dump_json(indent=2) + "\n", content_type="application/json",
                        headers={"Content-Disposition": f'attachment; filename="{name}"'})


@require_GET
def recipe(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """The recipe the bake was made from, for the command line."""
    _, bake = _bake(request, slug, pk)
    name = bake.file_name.removesuffix(".cube") + ".recipe.json"
    return HttpResponse(bake.path.to_recipe(), content_type="application/json",
                        headers={"Content-Disposition": f'attachment; filename="{name}"'})
