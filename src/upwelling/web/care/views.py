"""What a production is, its archive and its end; copies; the hand-over report."""

from __future__ import annotations

from django.contrib import messages
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.template.loader import render_to_string
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from upwelling.core.errors import UpwellingError
from upwelling.web.care import lifecycle
from upwelling.web.care.handover import MOST_ON_PAGE, report_of
from upwelling.web.common.requests import Refused
from upwelling.web.productions.access import production_view
from upwelling.web.productions.models import Production, may_create
from upwelling.web.productions.remarks import in_state


@require_http_methods(["GET", "POST"])
@production_view(change="POST", archived=True)
def about(request: HttpRequest, production: Production) -> HttpResponse:
    """Name, description, archive and removal of a production."""
    if request.method == "POST":
        try:
            messages.success(request, _changed(request, production))
        except UpwellingError as error:
            messages.error(request, str(error))
        return redirect("about", production.slug)
    return render(
        request,
        "care/about.html",
        {
            "may_create": may_create(request.user),
            "grace": lifecycle.GRACE.days,
            "open": in_state(production.remarks, "open").select_related("created_by"),
        },
    )


def _changed(request: HttpRequest, production: Production) -> str:
    what = request.POST.get("what", "")
    request.about = what  # type: ignore[attr-defined]
    match what:
        case "describe":
            if production.archived:
                raise Refused("Take the production out of the archive first.")
            lifecycle.describe(production, request.POST.get("name", ""), request.POST.get("description", ""))
            return "Name and description are saved."
        case "archive" | "unarchive":
            lifecycle.archive(production, archived=what == "archive")
            return "It is archived: nothing in it changes." if what == "archive" else "It is out of the archive."
        case "remove":
            lifecycle.ask_removal(production, request.POST.get("typed", ""))
            return f"It goes in {lifecycle.GRACE.days} days, unless someone keeps it here before."
        case "keep":
            lifecycle.keep(production)
            return "It stays, in the archive."
    raise Refused("Choose what to do with the production.")


@require_POST
@production_view(change=True, archived=True)
def copy(request: HttpRequest, production: Production) -> HttpResponse:
    """A new production with this one's rules and everything that is no footage."""
    if not may_create(request.user):
        raise PermissionDenied("Beginning a production is not yours to do; an administrator gives that right.")
    made = lifecycle.copy_as_template(production, request.user, request.POST.get("name", ""))
    messages.success(request, f"{made.name} has what {production.name} is set up with, and no footage yet.")
    return redirect("production", made.slug)


@require_GET
@production_view()
def handover(request: HttpRequest, production: Production) -> HttpResponse:
    """The hand-over report as a page."""
    return render(request, "care/handover.html", {"report": report_of(production, MOST_ON_PAGE)})


@require_GET
@production_view()
def handover_file(request: HttpRequest, production: Production) -> HttpResponse:
    """The same as one file that needs nothing else."""
    body = render_to_string("care/report_file.html", {"production": production, "report": report_of(production)})
    return HttpResponse(
        body,
        content_type="text/html; charset=utf-8",
        headers={
            "Content-Disposition": f'attachment; filename="{slugify(production.name) or "production"}-handover.html"'
        },
    )
