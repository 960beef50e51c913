"""Bakes: the list, certificates, tolerances, and downloads."""

from __future__ import annotations

import json
from typing import Any

from django.contrib import messages
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.bake import RECEIVERS, Tolerances
from upwelling.core.errors import BadLut
from upwelling.web.bakes.models import Bake
from upwelling.web.bakes.orders import model_shots, receivers_of
from upwelling.web.bakes.services import bake_again, verify_again
from upwelling.web.bakes.swatches import depths_said, neutral_plot, swatches
from upwelling.web.footage.models import shots_of
from upwelling.web.productions.forms import typed_number
from upwelling.web.productions.models import Production, production_for
from upwelling.web.productions.services import set_rules


@require_GET
def bakes(request: HttpRequest, slug: str) -> HttpResponse:
    """All bakes and packages of a production, and the ways to new ones."""
    production = production_for(request.user, slug)
    rules = production.rule_set
    shots = shots_of(production)
    by_number = {shot.pk: shot for shot in shots}
    rows = list(production.bakes.select_related("job", "created_by"))
    for row in rows:  # read once for all of them, settings included
        row.shot = by_number.get(row.shot_id or 0)
    return render(request, "bakes/bakes.html", {
        "production": production, "role": production.role_of(request.user), "shots": shots, "bakes": rows, "rules": rules,
        "bakeable": [shot for shot in shots if shot.settled.is_settled and shot.is_managed], "packages": production.packages.select_related("job", "created_by"),
        "outputs": [rules.output, *(d.output for d in rules.deliveries)], "receivers": receivers_of(production), "usual": RECEIVERS[0].name,
        "cameras": [name for name, _ in model_shots(shots)],
        "limits": [(title, [("tolerances", name, sdr), ("hdr_tolerances", name, getattr(rules.hdr_tolerances, name))]) for name, title, sdr in rules.tolerances.rows()],
    })


@require_POST
def tolerances(request: HttpRequest, slug: str) -> HttpResponse:
    """Sets what the production's bakes are held to."""
    production = production_for(request.user, slug, change=True)
    given = {field: Tolerances.checked({name: typed_number(request.POST.get(f"{field}.{name}"), title) for name, title, _ in Tolerances().rows()}).model_dump()
             for field in ("tolerances", "hdr_tolerances")}
    set_rules(production, given)
    messages.success(request, "The tolerances are saved. Certificates made before keep theirs; test a file again to hold it to these.")
    return redirect("bakes", slug)


def _bake(request: HttpRequest, slug: str, pk: int, *, change: bool = False) -> tuple[Production, Bake]:
    production = production_for(request.user, slug, change=change)
    row = get_object_or_404(Bake.objects.select_related("shot__camera", "created_by"), pk=pk, production=production)
    row.production = production
    if row.shot:
        row.shot.production = production
    return production, row


@require_GET
def certificate(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """The certificate as a page; of a bake by an earlier version, what is kept of it."""
    production, bake = _bake(request, slug, pk)
    report, order = bake.certificate, bake.bake_order
    if report is None or order is None:
        if bake.certificate_json is None:
            raise Http404
        return render(request, "bakes/old_certificate.html", {"production": production, "bake": bake})
    return render(request, "bakes/certificate.html", {
        "production": production, "bake": bake, "certificate": report, "path": order.path, "order": order, "role": production.role_of(request.user),
        "held_to": [(title, found, limit, found is None or found <= limit) for title, found, limit in report.held_to], "swatches": swatches(report, order), "plot": neutral_plot(report), "recipe": json.dumps(_readable(bake.order), indent=2, ensure_ascii=False),
        "tested": report.made[:16].replace("T", " "), "depths": depths_said(order), "clipped_domain": f"{100 * report.clipped_domain:.2f} %", "frames": [{"name": f.name, "count": f.count, "outside": f"{100 * f.outside:.2f}"} for f in report.frames],
    })


def _readable(body: Any) -> Any:
    """Plain data without the bytes of carried tables."""
    if isinstance(body, dict):
        return {key: (f"… {len(value)} characters" if key == "data" and isinstance(value, str) and len(value) > 200 else _readable(value)) for key, value in body.items()}
    return [_readable(value) for value in body] if isinstance(body, list) else body


@require_POST
def repeat(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Tests the file again, or bakes the same from the shot's present path."""
    _, bake = _bake(request, slug, pk, change=True)
    if request.POST.get("what") == "verify":
        if not bake.file or not bake.disk_path.exists():
            raise BadLut(bake.file_name, "is no longer on this machine. Bake it again.")
        messages.success(request, f"{bake.file_name} was read from disk and tested again: it {verify_again(bake).verdict}.")
        return redirect("certificate", slug, pk)
    bake_again(bake, request.user)
    return redirect("bakes", slug)


def _sent(text: str, name: str) -> HttpResponse:
    return HttpResponse(text, content_type="application/json", headers={"Content-Disposition": content_disposition_header(True, name)})


@require_GET
def download(request: HttpRequest, slug: str, pk: int, frames: bool = False) -> FileResponse:
    """The table's file, or the tested frames' pixels beside it."""
    _, bake = _bake(request, slug, pk)
    place = bake.frames_path if frames else bake.disk_path
    if not (bake.frames_file if frames else bake.file) or not place.exists():
        raise Http404
    return FileResponse(place.open("rb"), as_attachment=True, filename=bake.file_name + (".frames.png" if frames else ""), content_type="application/octet-stream")


@require_GET
def certificate_json(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """The certificate as JSON."""
    _, bake = _bake(request, slug, pk)
    if bake.certificate_json is None:
        raise Http404
    text = bake.certificate.model_dump_json(indent=2) if bake.certificate else json.dumps(bake.certificate_json, indent=2)
    return _sent(text + "\n", f"{bake.file_name}.certificate.json")


@require_GET
def recipe(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """The recipe of the path that was baked, for the command line."""
    _, bake = _bake(request, slug, pk)
    return _sent(bake.path.to_recipe(), f"{bake.file_name}.recipe.json")


