"""The library of Looks: list, one Look with its versions, new ones from shots, tables and files."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.bake.cdl_part import step_of
from upwelling.core.errors import BadValue
from upwelling.core.lut.formats.cdl import ENDINGS as CDL_ENDINGS
from upwelling.core.lut.formats.cdl import parse_cdl
from upwelling.core.lut.formats.edl import parse_edl
from upwelling.core.path import Look as LookStage
from upwelling.core.steps import LutStep
from upwelling.core.stored import sealed
from upwelling.web.errors import Refused
from upwelling.web.footage.look_services import (
    checked_steps,
    create_look,
    give_to_all,
    look_from_recipe,
    new_version,
    rename_look,
    same_steps,
    set_retired,
    shots_with,
    stage_of,
)
from upwelling.web.footage.looks import Look, Version, looks_of
from upwelling.web.footage.models import Shot, shots_of
from upwelling.web.footage.services import apply_settings
from upwelling.web.looks.editing import rows_of, steps_from
from upwelling.web.looks.pictures import under_look
from upwelling.web.luts.models import ImportedLut
from upwelling.web.luts.services import gives_display
from upwelling.web.productions.forms import typed_number
from upwelling.web.productions.models import Production, production_for

LARGEST_RECIPE = 40_000_000


def look_for(request: HttpRequest, slug: str, pk: int, *, change: bool = False) -> tuple[Production, Look]:
    """A Look for a member of its production."""
    production = production_for(request.user, slug, change=change)
    look = get_object_or_404(Look, pk=pk, production=production)
    look.production = production
    return production, look


def usable(production: Production) -> list[Shot]:
    """Shots that can show a Look: settled, with colour management on, and with settings that can be read."""
    return [shot for shot in shots_of(production) if shot.settled.is_settled and shot.is_managed and not shot.problem]


def _said(version: Version) -> str:
    """What a Look's steps do, or why they cannot be read."""
    try:
        return " · ".join(step.summary() for step in version.steps if step.on)
    except BadValue as error:
        return f"▲ {error}"


def chosen_shot(request: HttpRequest, shots: list[Shot]) -> Shot | None:
    """The shot named by ``?shot=``, or the first."""
    asked = request.GET.get("shot", "")
    return next((shot for shot in shots if str(shot.pk) == asked), shots[0] if shots else None)


@require_GET
def looks(request: HttpRequest, slug: str) -> HttpResponse:
    """The library: every Look on one frame, to whom it is given, tables brought in, and the ways to a new Look."""
    production = production_for(request.user, slug)
    shots, table = usable(production), looks_of(production)
    shot = chosen_shot(request, shots)
    counts: dict[int, int] = {}
    for one in shots:
        version = table.in_force(one, one.settings).version
        if version is not None:
            counts[version.look] = counts.get(version.look, 0) + 1
    rows = [{"look": v, "count": counts.get(v.look, 0), "said": _said(v),
             "picture": reverse("look-picture", args=[slug, shot.pk]) + f"?look={v.look}&v={v.version}" if shot else ""} for v in table.offered]
    groups = [{"group": group, "given": table.given.get(group.pk), "count": group.shots.count()} for group in production.groups.all()]
    luts = list(production.luts.all())
    return render(request, "looks/looks.html", {
        "production": production, "role": production.role_of(request.user), "rows": rows, "shots": shots, "shot": shot, "groups": groups,
        "given": table.given.get(None), "luts": luts, "usable_luts": [lut for lut in luts if lut.is_declared and not gives_display(lut)],
        "chosen_lut": request.GET.get("lut", ""), "retired": production.looks.filter(retired=True), "trimmed": [s for s in shots if s.settings.active],
    })


@require_POST
def create(request: HttpRequest, slug: str) -> HttpResponse:
    """A new Look from a shot's trim, a declared table, or a file."""
    production = production_for(request.user, slug, change=True)
    name, source = request.POST.get("name", ""), request.POST.get("from")
    if source == "shot":
        shot = get_object_or_404(production.shots, pk=_whole(request.POST.get("shot")))
        look = create_look(production, request.user, name, shot.settings.active, f"From the trim of {shot.name}")
    elif source == "lut":
        row = get_object_or_404(ImportedLut, pk=_whole(request.POST.get("lut")), production=production)
        if gives_display(row):
            raise Refused(f"{row.name} gives {row.gives}, a display’s code: it can be a rendering, not a Look.")
        look = create_look(production, request.user, name or row.name.rsplit(".", 1)[0], [LutStep(lut=row.declared)], f"The table {row.name}")
    elif source == "file":
        made = _from_file(production, request, name)
        messages.success(request, f"{len(made)} Look{'s' if len(made) != 1 else ''} brought in: {', '.join(look.name for look in made[:5])}.")
        return redirect("looks", slug) if len(made) != 1 else redirect("look", slug, made[0].pk)
    else:
        raise Refused("Choose what the Look is made from.")
    messages.success(request, f"{look.name} is in the library. Give it to shots on the contact sheet, to a group, or to the production.")
    return redirect("look", slug, look.pk)


def _whole(text: Any) -> int:
    return int(text) if isinstance(text, str) and text.isdigit() else 0


def _from_file(production: Production, request: HttpRequest, name: str) -> list[Look]:
    uploaded = request.FILES.get("file")
    if uploaded is None:
        raise Refused("Choose a file: a Look (.json), an ASC CDL (.cc, .ccc, .cdl) or an edit list with CDL (.edl).")
    if uploaded.size and uploaded.size > LARGEST_RECIPE:
        raise Refused("That file is larger than any Look.")
    data, title = uploaded.read(), uploaded.name or "look"
    ending = "." + title.rsplit(".", 1)[-1].lower()
    if ending == ".json":
        return [look_from_recipe(production, request.user, data, name)]
    if ending == ".edl":
        found = [(event.clip or event.reel, event.cdl) for event in parse_edl(data, title) if event.cdl is not None]
    elif ending in CDL_ENDINGS:
        found = [(correction.name, correction.cdl) for correction in parse_cdl(data, title)]
    else:
        raise Refused("A Look comes from .json, .cc, .ccc, .cdl or .edl; a table (.cube, .clf, Hald) is brought in beside.")
    if not found:
        raise Refused(f"{title} carries no ASC CDL.")
    made = []
    for index, (label, cdl) in enumerate(found):
        try:
            step = step_of(cdl, "")
        except ValueError:
            raise BadValue(f"{title}, {label}: its numbers are beyond what slope (0…4), offset (−1…1), power (0.1…4) and saturation (0…4) may be.") from None
        own = (name if len(found) == 1 and name else label)[:56] or f"Look {index + 1}"
        taken = {n.lower() for n in production.looks.values_list("name", flat=True)}
        unique = own if own.lower() not in taken else next(f"{own} {k}" for k in range(2, 1000) if f"{own} {k}".lower() not in taken)
        made.append(create_look(production, request.user, unique, [step], f"ASC CDL from {title}"))
    return made


@require_GET
def look(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """One Look: its steps as fields, its versions, and the shots it is in force on."""
    production, one = look_for(request, slug, pk)
    newest = one.newest
    shown = get_object_or_404(one.versions, number=_whole(request.GET["version"])) if "version" in request.GET else newest
    shots = usable(production)
    touched = shots_with(one)
    shot = chosen_shot(request, touched or shots)
    return render(request, "looks/look.html", {
        "production": production, "look": one, "newest": newest, "shown": shown, "rows": rows_of(shown.step_list), "versions": one.versions.select_related("created_by"),
        "role": production.role_of(request.user), "touched": touched, "shot": shot, "shots": shots, "trimmed": [s for s in shots if s.settings.active],
        "fits": [step.title for step in shown.step_list if not step.fits_in_lut],
    })


@require_POST
def propose(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Keeps changed steps as the Look's proposal and shows what they would touch."""
    _, one = look_for(request, slug, pk, change=True)
    source = request.POST.get("from")
    if source == "fields":
        steps = steps_from(request.POST, one.newest.step_list)
    elif source == "shot":
        steps = tuple(get_object_or_404(one.production.shots, pk=_whole(request.POST.get("shot"))).settings.active)
        steps = (*steps, *(s for s in one.newest.step_list if isinstance(s, LutStep)))
    elif source == "version":
        steps = get_object_or_404(one.versions, number=_whole(request.POST.get("number"))).step_list
    else:
        raise Refused("Choose what the new version is made from.")
    propose_version(one, steps)
    return redirect("look-touches", slug, pk)


def propose_version(one: Look, steps: Any) -> None:
    """Saves the proposal with the Look; raises Refused when nothing differs."""
    listed = checked_steps(one.production, steps)
    if same_steps(listed, one.newest.step_list):
        raise Refused(f"Nothing differs: these are the steps {one.name} has now.")
    one.proposal = sealed("look steps", [step.model_dump(mode="json") for step in listed])
    one.save(update_fields=["proposal"])


@require_GET
def touches(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """What the proposal would change: every shot the Look is in force on, before and after, and the bakes that would be stale."""
    production, one = look_for(request, slug, pk)
    if one.proposal is None:
        return redirect("look", slug, pk)
    steps = one.proposed
    before = {step.id: step for step in one.newest.step_list}
    lines = [f"{step.shown_name}: {step.summary()}" + ("" if step.on else " (off)") + (" — new" if step.id not in before else " — changed" if before[step.id] != step else "") for step in steps]
    gone = [step.shown_name for step in one.newest.step_list if step.id not in {s.id for s in steps}]
    touched = shots_with(one)
    return render(request, "looks/touches.html", {
        "production": production, "look": one, "lines": lines, "gone": gone, "touched": touched, "role": production.role_of(request.user),
        "bakes": production.bakes.filter(shot__in=touched).exclude(file="").order_by("-pk")[:12] if touched else [],
    })


@require_POST
def decide(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Makes the proposal the new version, or drops it."""
    _, one = look_for(request, slug, pk, change=True)
    if one.proposal is None:
        raise Refused("There is no proposal any more: someone decided meanwhile.")
    if request.POST.get("what") == "save":
        touched = len(shots_with(one))
        made = new_version(one, request.user, one.proposed, request.POST.get("note", ""))
        messages.success(request, f"{one.name} is version {made.number} now, on {touched} shot{'s' if touched != 1 else ''}.")
    one.proposal = None
    one.save(update_fields=["proposal"])
    return redirect("look", slug, pk)


@require_POST
def manage(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Renames or retires a Look, or puts its steps into a shot's trim to be worked on."""
    production, one = look_for(request, slug, pk, change=True)
    match request.POST.get("what"):
        case "rename":
            rename_look(one, request.POST.get("name", ""))
        case "retire" | "return":
            set_retired(one, request.POST["what"] == "retire")
            return redirect("looks", slug)
        case "trim":
            shot = get_object_or_404(production.shots, pk=_whole(request.POST.get("shot")))
            shot.production = production
            steps = [step for step in one.newest.step_list if not isinstance(step, LutStep)]
            settings = shot.settings.with_steps(steps).model_copy(update={"look_on": False})
            apply_settings(shot, request.user, settings, version=shot.version, label=f"steps of {one.name}")
            messages.success(request, f"The steps of {one.name} are in the trim of {shot.name}, whose Look is off. Work on them, then come back and take a new version from that trim.")
            return redirect("bench", slug, shot.pk)
        case _:
            raise Refused("The page sent something that is no change of a Look. Reload it.")
    return redirect("look", slug, pk)


@require_POST
def give_all(request: HttpRequest, slug: str) -> HttpResponse:
    """Gives a Look to the production or to a group."""
    production = production_for(request.user, slug, change=True)
    group = get_object_or_404(production.groups, pk=_whole(request.POST["group"])) if request.POST.get("group") else None
    given = request.POST.get("look", "")
    one = get_object_or_404(production.looks, pk=_whole(given)) if given not in ("", "inherit", "none") else None
    strength = typed_number(request.POST.get("strength", "100"), "Strength", " of percent") / 100
    give_to_all(production, one, strength, group, inherit=given in ("", "inherit"))
    whom = group.name if group else "the production"
    messages.success(request, f"{one.name if one else 'No Look'} for {whom}." if given not in ("", "inherit") else f"{whom[0].upper()}{whom[1:]} says nothing of its own now.")
    return redirect("looks", slug)


@require_GET
def export(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """The Look as recipe JSON, tables included; ``?version=`` chooses one."""
    _, one = look_for(request, slug, pk)
    version = get_object_or_404(one.versions, number=_whole(request.GET["version"])) if "version" in request.GET else one.newest
    name = "".join(c if c.isalnum() or c in "-_" else "-" for c in one.name)
    return HttpResponse(one.recipe(version).to_text(), content_type="application/json",
                        headers={"Content-Disposition": content_disposition_header(True, f"{name}-{version.number}.look.json")})


@require_GET
def picture(request: HttpRequest, slug: str, pk: int) -> FileResponse:
    """A shot under a Look: ``look`` its number (0: none), ``strength`` in percent, ``proposal`` for one not saved yet."""
    production = production_for(request.user, slug)
    shot = get_object_or_404(Shot.objects.select_related("camera"), pk=pk, production=production)
    shot.production = production
    asked = _whole(request.GET.get("look"))
    stage = LookStage()
    if asked:
        one = get_object_or_404(production.looks, pk=asked)
        strength = min(_whole(request.GET.get("strength", "100")), 100) / 100
        stage = stage_of(one, strength)
        if request.GET.get("proposal"):
            if one.proposal is None:
                raise Http404
            stage = shot.look_in_force().stage(True).model_copy(update={"steps": one.proposed})
    width = 352 if request.GET.get("large") else 176
    return FileResponse(under_look(shot, stage, width).open("rb"), content_type="image/jpeg", headers={"Cache-Control": "private, max-age=600"})
