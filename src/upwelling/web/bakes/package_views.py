"""Packages and receivers: pages, starting, downloads."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.bake import RECEIVERS
from upwelling.core.bake.receivers import Receiver
from upwelling.core.tables.formats import FORMATS
from upwelling.web.bakes.access import package_view
from upwelling.web.bakes.models import OwnReceiver, Package
from upwelling.web.bakes.orders import receivers_of
from upwelling.web.bakes.packages import package_again, start_package
from upwelling.web.bakes.services import define_receiver
from upwelling.web.common.downloads import saved_file
from upwelling.web.common.forms import read_fields
from upwelling.web.productions.access import production_view
from upwelling.web.productions.models import Production, readable

DEPTHS = (0, 8, 10, 12, 16)


@require_POST
@production_view(change=True)
def start(request: HttpRequest, production: Production) -> HttpResponse:
    """Starts a package."""
    made = start_package(
        production,
        request.user,
        output=request.POST.get("output", ""),
        receivers=request.POST.getlist("receiver"),
        cameras=request.POST.getlist("camera"),
        what=request.POST.get("what", "display"),
    )
    return redirect("package", production.slug, made.pk)


@require_GET
@package_view()
def package(request: HttpRequest, production: Production, row: Package) -> HttpResponse:
    """What a package holds, or how far it is."""
    tables: list[Any] = row.contents or [{**w, "file": "", "problem": "", "verdict": ""} for w in row.wishes]
    size = row.disk_path.stat().st_size if row.file and row.disk_path.exists() else 0
    return render(
        request, "bakes/package.html", {"production": production, "package": row, "tables": tables, "size": size}
    )


@require_POST
@package_view(change=True)
def again(request: HttpRequest, production: Production, row: Package) -> HttpResponse:
    """The same package from the present paths."""
    return redirect("package", production.slug, package_again(row, request.user).pk)


@require_GET
@package_view()
def download(request: HttpRequest, production: Production, row: Package) -> FileResponse:
    """The zip."""
    if not row.file or not row.disk_path.exists():
        raise Http404
    return saved_file(row.disk_path, row.file_name, "application/zip")


@require_GET
@production_view()
def receivers(request: HttpRequest, production: Production) -> HttpResponse:
    """The receivers, and a form for one of the production's own."""
    known, problems = readable(production.receivers.all(), "receiver")
    for problem in problems:
        messages.warning(request, problem)
    own = {row.name: row for row in known}
    chosen = next((r for r in receivers_of(production) if r.name == request.GET.get("name")), RECEIVERS[0])
    return render(
        request,
        "bakes/receivers.html",
        {
            "receivers": receivers_of(production),
            "own": own,
            "chosen": chosen,
            "chosen_own": own.get(chosen.name),
            "formats": FORMATS.values(),
            "depths": DEPTHS,
            "grids": ", ".join(map(str, chosen.grids)),
        },
    )


@require_POST
@production_view(change=True)
def define(request: HttpRequest, production: Production) -> HttpResponse:
    """Saves a receiver."""
    row = define_receiver(production, request.user, read_fields(Receiver, request.POST))
    messages.success(request, f"{row.name} is a receiver of this production.")
    return redirect("receivers", production.slug)


@require_POST
@production_view(change=True)
def remove_receiver(request: HttpRequest, production: Production, pk: int) -> HttpResponse:
    """Removes a receiver; bakes made for it keep its properties."""
    get_object_or_404(OwnReceiver, pk=pk, production=production).delete()
    return redirect("receivers", production.slug)
