"""The library of Looks: list, one Look with its versions, new ones from shots, tables and files."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any

from django.contrib import messages
from django.db.models import Count
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.count_of import count_of
from upwelling.core.errors import BadValue
from upwelling.core.path import Layer
from upwelling.core.steps import LutStep
from upwelling.web.common.downloads import picture_file, text_file
from upwelling.web.common.paging import page_of
from upwelling.web.common.requests import Refused, typed_number, whole_or
from upwelling.web.footage.history import apply_settings
from upwelling.web.footage.layer_services import look_exceptions
from upwelling.web.footage.listing import choices, loaded, looks_in_force, managed, numbers_with
from upwelling.web.footage.look_files import looks_from_file
from upwelling.web.footage.look_models import Look, Version, looks_of
from upwelling.web.footage.look_services import (
    accept_proposal,
    create_look,
    drop_proposal,
    give_to_all,
    propose_version,
    rename_look,
    set_retired,
    stage_of,
)
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import problem_of
from upwelling.web.looks.access import look_view
from upwelling.web.looks.editing import rows_of, steps_from
from upwelling.web.looks.pictures import under_look
from upwelling.web.luts.models import ImportedLut
from upwelling.web.luts.services import gives_display
from upwelling.web.productions.access import production_view
from upwelling.web.productions.models import Production

LARGEST_RECIPE, EACH = 40_000_000, 40
"""Bytes of a Look file, and pairs of pictures on one page."""


def _said(version: Version) -> str:
    """What a Look's steps do, or why they cannot be read."""
    try:
        return " · ".join(step.summary() for step in version.steps if step.on)
    except BadValue as error:
        return f"▲ {error}"


def chosen_shot(request: HttpRequest, production: Production, usual: Sequence[int] = ()) -> Shot | None:
    """The shot named by ``?shot=``, or the first that can show a Look; ``usual`` are those to begin with."""
    usable = managed(production)
    asked = usable.filter(pk=whole_or(request.GET.get("shot"))).values_list("pk", flat=True)
    first = usable.order_by("name", "pk").values_list("pk", flat=True)
    for numbers in (asked, usual[:1], first[:8]):
        for shot in loaded(production, numbers):
            if not problem_of(shot):
                return shot
    return None


def trimmed(production: Production) -> list[dict[str, Any]]:
    """Shots that somebody has worked on, for a menu."""
    return choices(managed(production).filter(position__gt=0))


@require_GET
@production_view()
def looks(request: HttpRequest, production: Production) -> HttpResponse:
    """The library: every Look on one frame, to whom it is given, tables brought in, and the ways to a new Look."""
    table, shot = looks_of(production), chosen_shot(request, production)
    counts = Counter(chosen for _, chosen in looks_in_force(production))
    for group, (given, _, _) in table.over.items():
        counts[given or 0] += production.shots.filter(group=group).count()
    rows = [
        {
            "look": v,
            "count": counts[v.look],
            "said": _said(v),
            "picture": reverse("look-picture", args=[production.slug, shot.pk]) + f"?look={v.look}&v={v.version}"
            if shot
            else "",
        }
        for v in table.offered
    ]
    groups = [
        {
            "group": group,
            "given": table.given.get(group.pk) or table.over.get(group.pk),
            "over": group.pk in table.over,
            "count": group.count,
        }
        for group in production.groups.annotate(count=Count("shots"))
    ]
    luts = list(production.luts.all())
    return render(
        request,
        "looks/looks.html",
        {
            "rows": rows,
            "shots": choices(managed(production), shot.pk if shot else 0),
            "shot": shot,
            "groups": groups,
            "given": table.given.get(None),
            "luts": luts,
            "recoveries": production.recoveries.filter(lut=None).exclude(job__state="done").select_related("job")[:3],
            "usable_luts": [lut for lut in luts if lut.is_declared and not gives_display(lut)],
            "chosen_lut": request.GET.get("lut", ""),
            "retired": production.looks.filter(retired=True),
            "trimmed": trimmed(production),
        },
    )


@require_POST
@production_view(change=True)
def create(request: HttpRequest, production: Production) -> HttpResponse:
    """A new Look from a shot's trim, a declared table, or a file."""
    name, source = request.POST.get("name", ""), request.POST.get("from")
    if source == "shot":
        shot = get_object_or_404(production.shots, pk=whole_or(request.POST.get("shot")))
        look = create_look(production, request.user, name, shot.settings.alone(), f"From the trim of {shot.name}")
    elif source == "lut":
        row = get_object_or_404(ImportedLut, pk=whole_or(request.POST.get("lut")), production=production)
        if gives_display(row):
            raise Refused(f"{row.name} gives {row.gives}, a display’s code: it can be a rendering, not a Look.")
        look = create_look(
            production,
            request.user,
            name or row.name.rsplit(".", 1)[0],
            [LutStep(lut=row.declared)],
            f"The table {row.name}",
        )
    elif source == "file":
        uploaded = request.FILES.get("file")
        if uploaded is None:
            raise Refused(
                "Choose a file: a Look (.json), an ASC CDL (.cc, .ccc, .cdl) or an edit list with CDL (.edl)."
            )
        if uploaded.size and uploaded.size > LARGEST_RECIPE:
            raise Refused("That file is larger than any Look.")
        made = looks_from_file(production, request.user, uploaded.read(), uploaded.name or "look", name)
        messages.success(
            request, f"{count_of(len(made), 'Look')} brought in: {', '.join(look.name for look in made[:5])}."
        )
        return redirect("looks", production.slug) if len(made) != 1 else redirect("look", production.slug, made[0].pk)
    else:
        raise Refused("Choose what the Look is made from.")
    messages.success(
        request, f"{look.name} is in the library. Give it to shots on the wall, to a group, or to the production."
    )
    return redirect("look", production.slug, look.pk)


@require_GET
@look_view()
def look(request: HttpRequest, production: Production, one: Look) -> HttpResponse:
    """One Look: its steps as fields, its versions, and the shots it is in force on."""
    newest = one.newest
    shown = (
        get_object_or_404(one.versions, number=whole_or(request.GET["version"])) if "version" in request.GET else newest
    )
    touched = numbers_with(one)
    shot = chosen_shot(request, production, touched)
    return render(
        request,
        "looks/look.html",
        {
            "look": one,
            "newest": newest,
            "shown": shown,
            "rows": rows_of(shown.step_list),
            "versions": one.versions.select_related("created_by"),
            "touched": len(touched),
            "apart": look_exceptions(one)[:EACH],
            "first_touched": Shot.objects.filter(pk__in=touched[:EACH]),
            "unlisted": -min(len(touched), EACH),
            "shot": shot,
            "shots": choices(managed(production), shot.pk if shot else 0),
            "trimmed": trimmed(production),
            "fits": [step.title for step in shown.step_list if not step.fits_in_lut],
        },
    )


@require_POST
@look_view(change=True)
def propose(request: HttpRequest, production: Production, one: Look) -> HttpResponse:
    """Keeps changed steps as the Look's proposal and shows what they would touch."""
    source = request.POST.get("from")
    if source == "fields":
        steps = steps_from(request.POST, one.newest.step_list)
    elif source == "shot":
        steps = tuple(get_object_or_404(one.production.shots, pk=whole_or(request.POST.get("shot"))).settings.alone())
    elif source == "version":
        steps = get_object_or_404(one.versions, number=whole_or(request.POST.get("number"))).step_list
    else:
        raise Refused("Choose what the new version is made from.")
    propose_version(one, steps)
    return redirect("look-touches", production.slug, one.pk)


@require_GET
@look_view()
def touches(request: HttpRequest, production: Production, one: Look) -> HttpResponse:
    """What the proposal would change: every shot the Look is in force on, before and after, and the bakes that would be
    stale.
    """
    if one.proposal is None:
        return redirect("look", production.slug, one.pk)
    steps = one.proposed
    before = {step.id: step for step in one.newest.step_list}
    lines = [
        f"{step.shown_name}: {step.summary()}"
        + ("" if step.on else " (off)")
        + (" — new" if step.id not in before else " — changed" if before[step.id] != step else "")
        for step in steps
    ]
    gone = [step.shown_name for step in one.newest.step_list if step.id not in {s.id for s in steps}]
    touched = numbers_with(one)
    page = page_of(request, touched, EACH)
    return render(
        request,
        "looks/touches.html",
        {
            "look": one,
            "lines": lines,
            "gone": gone,
            "touched": len(touched),
            "page": page,
            "shots": loaded(production, page.object_list),
            "bakes": production.bakes.filter(shot__in=touched).exclude(file="").order_by("-pk")[:12] if touched else [],
        },
    )


@require_POST
@look_view(change=True)
def decide(request: HttpRequest, production: Production, one: Look) -> HttpResponse:
    """Makes the proposal the new version, or drops it."""
    seen = request.POST.get("seen", "")
    if request.POST.get("what") == "save":
        made, touched = accept_proposal(one, request.user, seen, request.POST.get("note", ""))
        messages.success(request, f"{one.name} is version {made.number} now, on {count_of(touched, 'shot')}.")
    else:
        drop_proposal(one, seen)
    return redirect("look", production.slug, one.pk)


@require_POST
@look_view(change=True)
def manage(request: HttpRequest, production: Production, one: Look) -> HttpResponse:
    """Renames or retires a Look, or puts its steps into a shot's trim to be worked on."""
    match request.POST.get("what"):
        case "rename":
            rename_look(one, request.POST.get("name", ""))
        case "retire" | "return":
            set_retired(one, request.POST["what"] == "retire")
            return redirect("looks", production.slug)
        case "trim":
            shot = get_object_or_404(production.shots, pk=whole_or(request.POST.get("shot")))
            shot.production = production
            settings = shot.settings.with_steps(one.newest.step_list).model_copy(update={"look_on": False})
            apply_settings(shot, request.user, settings, version=shot.version, label=f"steps of {one.name}")
            messages.success(
                request,
                f"The steps of {one.name} are in the trim of {shot.name}, whose Look is off. Work on them, then come "
                "back and take a new version from that trim.",
            )
            return redirect("bench", production.slug, shot.pk)
        case _:
            raise Refused("The page sent something that is no change of a Look. Reload it.")
    return redirect("look", production.slug, one.pk)


@require_POST
@production_view(change=True)
def give_all(request: HttpRequest, production: Production) -> HttpResponse:
    """Gives a Look to the production or to a group."""
    group = (
        get_object_or_404(production.groups, pk=whole_or(request.POST["group"])) if request.POST.get("group") else None
    )
    given = request.POST.get("look", "")
    one = get_object_or_404(production.looks, pk=whole_or(given)) if given not in ("", "inherit", "none") else None
    strength = typed_number(request.POST.get("strength", "100"), "Strength", " of percent") / 100
    give_to_all(
        production, one, strength, group, inherit=given in ("", "inherit"), over=request.POST.get("over") == "on"
    )
    whom = group.name if group else "the production"
    messages.success(
        request,
        f"{one.name if one else 'No Look'} for {whom}."
        if given not in ("", "inherit")
        else f"{whom[0].upper()}{whom[1:]} says nothing of its own now.",
    )
    return redirect("looks", production.slug)


@require_GET
@look_view()
def export(request: HttpRequest, production: Production, one: Look) -> HttpResponse:
    """The Look as recipe JSON, tables included; ``?version=`` chooses one."""
    version = (
        get_object_or_404(one.versions, number=whole_or(request.GET["version"]))
        if "version" in request.GET
        else one.newest
    )
    name = "".join(c if c.isalnum() or c in "-_" else "-" for c in one.name)
    return text_file(one.recipe(version).to_text(), f"{name}-{version.number}.look.json", "application/json")


@require_GET
@production_view()
def picture(request: HttpRequest, production: Production, pk: int) -> FileResponse:
    """A shot under a Look: ``look`` its number (0: none), ``strength`` in percent,
    ``proposal`` for one not saved yet.
    """
    shot = get_object_or_404(Shot.objects.select_related("camera"), pk=pk, production=production)
    shot.production = production
    asked = whole_or(request.GET.get("look"))
    stage = Layer(kind="look")
    if asked:
        one = get_object_or_404(production.looks, pk=asked)
        strength = min(whole_or(request.GET.get("strength", "100")), 100) / 100
        stage = stage_of(one, strength)
        if request.GET.get("proposal"):
            if one.proposal is None:
                raise Http404
            stage = shot.look_in_force().stage(True).model_copy(update={"steps": one.proposed})
    width = 352 if request.GET.get("large") else 176
    return picture_file(under_look(shot, stage, width), "private, max-age=600")
