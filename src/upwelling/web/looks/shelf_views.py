"""The shelf of tables: found by name and tag, shown on a frame, declared together, put on a shot."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.db.models import F
from django.http import FileResponse, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import url_has_allowed_host_and_scheme, urlencode
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.count_of import count_of
from upwelling.core.encodings import ENCODINGS
from upwelling.core.errors import UpwellingError
from upwelling.core.outputs import OUTPUTS
from upwelling.core.tables.files import ENDINGS
from upwelling.web.common.downloads import picture_file
from upwelling.web.common.finding import Choice, made_by, made_finder
from upwelling.web.common.paging import page_of
from upwelling.web.common.requests import Refused, typed_number, whole_list, whole_or
from upwelling.web.footage.listing import choices, managed
from upwelling.web.looks.shelf import picture_of, put_on_shot, tables_on, tags_of
from upwelling.web.looks.views import chosen_shot
from upwelling.web.luts.access import lut_view
from upwelling.web.luts.models import ImportedLut
from upwelling.web.luts.services import declare, tag
from upwelling.web.luts.views import spaces_from
from upwelling.web.productions.access import production_view
from upwelling.web.productions.models import Production

EACH = 40
USUAL_STRENGTH = "20"
LONG = "private, max-age=600"
SORTS = (("name", "name"), ("used", "used lately"), ("new", "newest"))
ORDERS: dict[str, Any] = {
    "name": ("name", "pk"),
    "used": (F("used").desc(nulls_last=True), "name"),
    "new": ("-created", "-pk"),
}
STATES = (("undeclared", "undeclared"), ("step", "steps of a trim or Look"), ("display", "for a display"))


@require_GET
@production_view()
def shelf(request: HttpRequest, production: Production) -> HttpResponse:
    """The tables that the address asks for, on a chosen shot's frame."""
    every = production.luts.all()
    listed = [Choice("tag", "any tag", tags_of(production)), Choice("state", "any use", STATES)]
    asked = made_finder(request.GET, every, listed, SORTS, "Name or tag of a table")
    chosen = every
    if asked["tag"]:
        tagged = [pk for pk, tags in every.values_list("pk", "tags") if asked["tag"] in tags.split()]
        chosen = chosen.filter(pk__in=tagged)
    if asked["state"] == "undeclared":
        chosen = chosen.filter(expects="") | chosen.filter(gives="")
    elif asked["state"]:
        shown = chosen.exclude(expects="").exclude(gives="")
        chosen = shown.filter(gives__in=OUTPUTS) if asked["state"] == "display" else shown.exclude(gives__in=OUTPUTS)
    chosen = made_by(asked, chosen, ("name", "tags"), ORDERS)
    shot = chosen_shot(request, production)
    return render(
        request,
        "looks/shelf.html",
        {
            "page": page_of(request, chosen, EACH),
            "finder": asked,
            "any": every.exists(),
            "shot": shot,
            "shots": choices(managed(production), shot.pk if shot else 0),
            "on_shot": tables_on(shot) if shot else [],
            "strength": request.GET.get("strength", USUAL_STRENGTH),
            "encodings": list(ENCODINGS),
            "outputs": list(OUTPUTS),
            "endings": ",".join(ENDINGS),
        },
    )


@require_GET
@lut_view()
def table_picture(request: HttpRequest, production: Production, row: ImportedLut) -> FileResponse:
    """A shot's frame with the table."""
    shot = chosen_shot(request, production)
    if shot is None:
        raise Refused("No shot has its encoding settled.")
    return picture_file(picture_of(row, shot), LONG)


@require_POST
@lut_view(change=True)
def on_shot(request: HttpRequest, production: Production, row: ImportedLut) -> HttpResponse:
    """Puts the table on a shot and comes back to the shelf."""
    shot = get_object_or_404(production.shots, pk=whole_or(request.POST.get("shot")))
    shot.production = production
    percent = typed_number(request.POST.get("strength"), "Strength", "a number from 1 to 100")
    if not 0 < percent <= 100:
        raise Refused(f"A strength of {percent:g} % does nothing or cannot be. Type a number from 1 to 100.")
    put_on_shot(row, shot, request.user, percent / 100)
    messages.success(request, f"{row.name} is on {shot.name} at {percent:g} %, as the last step of its trim.")
    asked = {"shot": str(shot.pk), "strength": f"{percent:g}"}
    return redirect(f"{reverse('table-shelf', args=[production.slug])}?{urlencode(asked)}")


@require_POST
@production_view(change=True)
def declare_many(request: HttpRequest, production: Production) -> HttpResponse:
    """Declares the chosen tables the same, or tags them; those that refuse it are said, the others are done."""
    rows = list(production.luts.filter(pk__in=whole_list(request.POST.getlist("table"))))
    if not rows:
        raise Refused("Choose tables first.")
    done = 0
    for row in rows:
        row.production = production
        try:
            if request.POST.get("what") == "tag":
                tag(row, f"{row.tags} {request.POST.get('tags', '')}")
            elif request.POST.get("what") == "untag":
                tag(row, "")
            else:
                declare(row, **spaces_from(request.POST))
            done += 1
        except UpwellingError as error:
            messages.error(request, str(error))
    if done:
        messages.success(request, f"{count_of(done, 'table')}: done.")
    back = request.POST.get("back", "")
    own = url_has_allowed_host_and_scheme(back, allowed_hosts=None)
    return redirect(back if own else reverse("table-shelf", args=[production.slug]))
