"""The library of tables brought in, and the inspector."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.encodings import ENCODINGS
from upwelling.core.errors import BadValue, UpwellingError
from upwelling.core.outputs import OUTPUTS
from upwelling.core.tables.facts import compare_luts, measure
from upwelling.web.common.downloads import saved_file
from upwelling.web.common.requests import Refused, typed_number, wants_json
from upwelling.web.common.uploads import on_disk
from upwelling.web.luts.access import lut_view
from upwelling.web.luts.models import ImportedLut
from upwelling.web.luts.plots import cube_points, curves_plot, hex_colour, slices
from upwelling.web.luts.recoveries import SIDES, seen_of, start_recovery
from upwelling.web.luts.services import (
    bring_in_lut,
    declare,
    gives_display,
    laid_over,
    lay_over,
    remove_lut,
    tag,
    take_off,
    use_as_input,
    use_as_rendering,
)
from upwelling.web.productions.access import production_view
from upwelling.web.productions.models import Production


@require_POST
@production_view(change=True)
def bring_in(request: HttpRequest, production: Production) -> HttpResponse:
    """Takes table files in; each bad one is said, the good ones stay."""
    files = request.FILES.getlist("file")
    if wants_json(request):
        return _one_of_many(request, production)
    if not files:
        raise Refused("Choose a table file: .cube, .clf, or a Hald image (.png).")
    made: list[ImportedLut] = []
    problems: list[UpwellingError] = []
    for uploaded in files:
        with on_disk(uploaded) as place:
            try:
                made.append(bring_in_lut(production, request.user, uploaded.name or "table.cube", place))
            except UpwellingError as error:
                problems.append(error)
    if not made:
        raise problems[0]
    for row in made:
        messages.success(
            request, f"{row.name} is here. Declare what code it expects and gives; until then nothing runs through it."
        )
    for problem in problems:
        messages.error(request, str(problem))
    return redirect("lut", production.slug, made[0].pk) if len(files) == 1 else redirect("looks", production.slug)


def _one_of_many(request: HttpRequest, production: Production) -> JsonResponse:
    """One table of a folder, answered for the page that sends them one after the other."""
    (uploaded,) = request.FILES.getlist("file")[:1] or (None,)
    if uploaded is None:
        raise Refused("Choose a folder with tables.")
    with on_disk(uploaded) as place:
        row = bring_in_lut(production, request.user, uploaded.name or "table.cube", place)
    tag(row, request.POST.get("tags", ""))
    return JsonResponse({"name": row.name})


@require_POST
@production_view(change=True)
def recover(request: HttpRequest, production: Production) -> HttpResponse:
    """Begins recovering the table between two stills."""
    stills = {side: files[0] for side in SIDES if (files := request.FILES.getlist(side))}
    row = start_recovery(production, request.user, request.POST.get("name", ""), stills)
    messages.success(request, f"“{row.name}” is being recovered. It is listed below when it is done.")
    return redirect("looks", production.slug)


@require_GET
@lut_view()
def inspector(request: HttpRequest, production: Production, row: ImportedLut) -> HttpResponse:
    """What a table does: evidence, curves, cube, slices, figures; ``?with=`` compares it with another."""
    others = list(production.luts.exclude(pk=row.pk))
    chosen = request.GET.get("with", "")
    other = next((o for o in others if str(o.pk) == chosen), None)
    lut = row.lut
    over = laid_over(row)
    facts = measure(lut, row.interpolation)  # type: ignore[arg-type]
    compared = None
    if other is not None:
        target = OUTPUTS.get(row.gives, OUTPUTS["BT.709 BT.1886"])
        target = OUTPUTS["BT.709 BT.1886"] if target.is_hdr else target
        found = compare_luts(lut, other.lut, target, row.interpolation)  # type: ignore[arg-type]
        compared = {
            "figures": found,
            "target": target.name,
            "worst": [
                {
                    "code": [round(float(v) * 1023) for v in place],
                    "first": hex_colour(a),
                    "second": hex_colour(b),
                    "delta_e": float(d),
                }
                for place, a, b, d in zip(found.places, found.first, found.second, found.delta_e, strict=True)
            ],
        }
    return render(
        request,
        "luts/inspector.html",
        {
            "lut": row,
            "facts": facts,
            "others": others,
            "other": other,
            "compared": compared,
            "plot": curves_plot(facts, measure(other.lut) if other else None),
            "cube": cube_points(lut),
            "slices": slices(lut, seen_of(row)),
            "evidence": row.evidence_json,
            "encodings": list(ENCODINGS),
            "outputs": list(OUTPUTS),
            "as_display": gives_display(row),
            "over": over,
            "over_percent": round(100 * over.strength) if over else 100,
            "clipped": {"low": 100 * facts.clipped_low, "high": 100 * facts.clipped_high},
            "folds": 100 * facts.folds,
        },
    )


@require_POST
@lut_view(change=True)
def declare_spaces(request: HttpRequest, production: Production, row: ImportedLut) -> HttpResponse:
    """Saves what a table expects and gives."""
    declare(row, **spaces_from(request.POST))
    messages.success(
        request,
        f"{row.name}: {row.expects} in, {row.gives} out."
        if row.is_declared
        else f"{row.name} is not declared; nothing runs through it.",
    )
    return redirect("lut", production.slug, row.pk)


@require_POST
@lut_view(change=True)
def use(request: HttpRequest, production: Production, row: ImportedLut) -> HttpResponse:
    """Makes a table the production's rendering, its Look of the display, or an encoding of the production."""
    if request.POST.get("as") == "rendering":
        given = use_as_rendering(row)
        messages.success(
            request,
            f"{row.name} is the rendering for {', '.join(given)} now; other outputs keep theirs. The Outputs page "
            "brings another back.",
        )
        return redirect("lut", production.slug, row.pk)
    if request.POST.get("as") == "input":
        made = use_as_input(row, request.user, request.POST.get("name", "").strip())
        messages.success(
            request, f"“{made.name}” is an encoding of this production now: choose it for a camera or a shot."
        )
        return redirect("own-encodings", production.slug)
    if request.POST.get("as") == "over":
        before = lay_over(row, _share(request.POST.get("percent")))
        instead = f" in place of {before}" if before else ""
        kind = "HDR" if OUTPUTS[row.expects].is_hdr else "SDR"
        messages.success(
            request, f"{row.name} is the Look of the display{instead}: it lies over the rendering on {kind} outputs."
        )
        return redirect("lut", production.slug, row.pk)
    if request.POST.get("as") == "off":
        take_off(row)
        messages.success(request, f"{row.name} is taken off; renderings show as they are.")
        return redirect("lut", production.slug, row.pk)
    raise Refused("A table is used as a rendering, as a Look of the display or as an input.")


def spaces_from(given: Any) -> dict[str, Any]:
    """What a form says of a table's spaces."""
    return {
        "expects": given.get("expects", ""),
        "expects_range": given.get("expects_range", "full"),
        "gives": given.get("gives", ""),
        "gives_range": given.get("gives_range", "full"),
        "interpolation": given.get("interpolation", "tetrahedral"),
        "full_all_the_same": given.get("full_all_the_same") == "on",
    }


def _share(text: str | None) -> float:
    percent = typed_number(text, "Strength", "a number from 0 to 100")
    if not 0 <= percent <= 100:
        raise BadValue(f"A strength of {percent:g} % is not possible. Type a number from 0 to 100.")
    return percent / 100


@require_POST
@lut_view(change=True)
def remove(request: HttpRequest, production: Production, row: ImportedLut) -> HttpResponse:
    """Takes a table off the list."""
    remove_lut(row)
    messages.success(request, f"{row.name} is removed. Looks and renderings made with it keep their copy.")
    return redirect("looks", production.slug)


@require_GET
@lut_view()
def download(request: HttpRequest, production: Production, row: ImportedLut) -> FileResponse:
    """The file as it was brought in."""
    return saved_file(row.disk_path, row.name)
