"""Packages and receivers: pages, starting, downloads."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.bake import RECEIVERS
from upwelling.core.bake.receivers import Receiver
from upwelling.core.errors import BadValue
from upwelling.core.lut_files import FORMATS
from upwelling.web.bakes.models import OwnReceiver, Package
from upwelling.web.bakes.orders import receivers_of
from upwelling.web.bakes.services import define_receiver, package_again, start_package
from upwelling.web.productions.forms import typed_number
from upwelling.web.productions.models import Production, production_for, readable

DEPTHS = (0, 8, 10, 12, 16)


def _package(request: HttpRequest, slug: str, pk: int, *, change: bool = False) -> tuple[Production, Package]:
    production = production_for(request.user, slug, change=change)
    row = get_object_or_404(Package.objects.select_related("job", "created_by"), pk=pk, production=production)
    row.production = production
    return production, row


@require_POST
def start(request: HttpRequest, slug: str) -> HttpResponse:
    """Starts a package."""
    production = production_for(request.user, slug, change=True)
    made = start_package(production, request.user, output=request.POST.get("output", ""), receivers=request.POST.getlist("receiver"),
                         cameras=request.POST.getlist("camera"), what=request.POST.get("what", "display"))
    return redirect("package", slug, made.pk)


@require_GET
def package(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """What a package holds, or how far it is."""
    production, row = _package(request, slug, pk)
    by_camera: dict[str, list[Any]] = {}
    for one in row.contents or [{**w, "file": "", "problem": "", "verdict": ""} for w in row.wishes]:
        by_camera.setdefault(one["camera"], []).append(one)
    size = row.disk_path.stat().st_size if row.file and row.disk_path.exists() else 0
    return render(request, "bakes/package.html", {"production": production, "package": row, "cameras": by_camera.items(), "size": size, "role": production.role_of(request.user)})


@require_POST
def again(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """The same package from the present paths."""
    _, row = _package(request, slug, pk, change=True)
    return redirect("package", slug, package_again(row, request.user).pk)


@require_GET
def download(request: HttpRequest, slug: str, pk: int) -> FileResponse:
    """The zip."""
    _, row = _package(request, slug, pk)
    if not row.file or not row.disk_path.exists():
        raise Http404
    return FileResponse(row.disk_path.open("rb"), as_attachment=True, filename=row.file_name, content_type="application/zip")


@require_GET
def receivers(request: HttpRequest, slug: str) -> HttpResponse:
    """The receivers, and a form for one of the production's own."""
    production = production_for(request.user, slug)
    known, problems = readable(production.receivers.all(), "receiver")
    for problem in problems:
        messages.warning(request, problem)
    own = {row.name: row for row in known}
    chosen = next((r for r in receivers_of(production) if r.name == request.GET.get("name")), RECEIVERS[0])
    return render(request, "bakes/receivers.html", {
        "production": production, "role": production.role_of(request.user), "receivers": receivers_of(production), "own": own, "chosen": chosen,
        "chosen_own": own.get(chosen.name), "formats": FORMATS.values(), "depths": DEPTHS, "grids": ", ".join(map(str, chosen.grids)),
    })


@require_POST
def define(request: HttpRequest, slug: str) -> HttpResponse:
    """Saves a receiver."""
    production = production_for(request.user, slug, change=True)
    given = request.POST
    parts = given.get("grids", "").replace(",", " ").split()
    if not all(part.isdigit() for part in parts):
        raise BadValue("Grids are whole numbers, such as 17, 33, 65.")
    body: dict[str, Any] = {name: given.get(name) for name in ("name", "note", "interpolation", "input_range", "output_range", "beyond") if given.get(name)}
    body |= {"formats": given.getlist("formats"), "grids": [int(part) for part in parts], "most_entries": int(typed_number(given.get("most_entries"), "Entries of a 1D table"))}
    body |= {name: int(typed_number(given.get(name), Receiver.model_fields[name].title or name.replace("_", " "))) for name in ("precision", "input_depth", "output_depth")}
    row = define_receiver(production, request.user, body)
    messages.success(request, f"{row.name} is a receiver of this production.")
    return redirect("receivers", slug)


@require_POST
def remove_receiver(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Removes a receiver; bakes made for it keep its properties."""
    production = production_for(request.user, slug, change=True)
    get_object_or_404(OwnReceiver, pk=pk, production=production).delete()
    return redirect("receivers", slug)
