"""Outputs of a production: what it delivers, every output's codes, and outputs of its own."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods, require_POST

from upwelling.core.errors import UpwellingError
from upwelling.core.outputs import BUILT_IN, CustomOutput, Output
from upwelling.core.outputs.levels import levels
from upwelling.core.outputs.mastering import MasteringDisplay
from upwelling.core.rendering import Rise
from upwelling.web.common.forms import read_fields, read_primaries
from upwelling.web.common.requests import whole_or
from upwelling.web.footage.listing import managed
from upwelling.web.footage.torture_chart import FILE as TORTURE_FILE
from upwelling.web.productions.access import production_view
from upwelling.web.productions.deliveries import deliver as deliver_output
from upwelling.web.productions.deliveries import no_longer_deliver, render_delivery, render_production
from upwelling.web.productions.models import OwnOutput, Production, readable
from upwelling.web.productions.services import define_output, remove_output

DEPTHS = (8, 10, 12, 16)
CURVES = ("BT.1886", "sRGB", "gamma 2.2", "gamma 2.4", "gamma 2.6", "PQ", "HLG")
SPACES = ("BT.709", "P3-D65", "P3-DCI", "BT.2020")


@require_http_methods(["GET", "POST"])
@production_view(change="POST")
def outputs(request: HttpRequest, production: Production) -> HttpResponse:
    """All outputs in a table, one of them in full, and the form for one of the production's own."""
    given: dict[str, Any] = {}
    if request.method == "POST":
        given = request.POST.dict()
        try:
            body = read_fields(CustomOutput, given) | {"primaries": read_primaries(given, given.get("primaries", ""))}
            row = define_output(
                production, request.user, body, replaces=given.get("replaces", ""), seen=given.get("seen", "")
            )
        except UpwellingError as error:
            messages.error(request, f"Not saved. {error}")
        else:
            messages.success(request, f"{row.name} is saved.")
            return redirect(f"{request.path}?{urlencode({'name': row.name})}")
    rules = production.rule_set
    known, problems = readable(production.own_outputs.all(), "custom")
    for problem in problems:
        messages.warning(request, problem)
    rows = {row.name: row for row in known}
    listed: list[Output] = [*(row.custom.output() for row in rows.values()), *BUILT_IN]
    name = request.GET.get("name", rules.output)
    chosen = next((o for o in listed if o.name == name), listed[0])
    delivered = {rules.output: "main", **{d.output: "further" for d in rules.deliveries}}
    shots = managed(production).order_by("name", "pk")
    programme = shots.exclude(original_name=TORTURE_FILE).values_list("pk", "name")
    return render(
        request,
        "outputs/outputs.html",
        {
            "rules": rules,
            "given": _form_values(rows.get(chosen.name), given),
            "rows": [
                {
                    "output": o,
                    "levels": levels(o, *_form_of(rules, o)),
                    "form": _form_of(rules, o),
                    "state": delivered.get(o.name, ""),
                    "own": rows.get(o.name),
                }
                for o in listed
            ],
            "chosen": chosen,
            "chosen_form": _form_of(rules, chosen),
            "chosen_state": delivered.get(chosen.name, ""),
            "chosen_own": rows.get(chosen.name),
            "rendered": _rendered(rules, chosen) if chosen.name in delivered else None,
            "codes": [
                {"depth": depth, "full": levels(chosen, "full", depth), "legal": levels(chosen, "legal", depth)}
                for depth in DEPTHS
            ],
            "level_names": [level.name for level in levels(chosen, "full", 10)],
            "depths": DEPTHS,
            "curves": CURVES,
            "spaces": SPACES,
            "surrounds": ("dark", "dim", "average"),
            "mastering": MasteringDisplay.of(chosen) if chosen.curve_name == "PQ" else None,
            "first_shot": shots.first(),
            "data": {
                "url": reverse("light-level", args=[production.slug, 0]),
                "shots": [{"pk": pk, "name": name} for pk, name in programme],
                "output": chosen.name,
            },
        },
    )


def _rendered(rules: Any, target: Output) -> dict[str, Any]:
    """What renders a delivered output, in a few words with numbers, and whether it is Rise as it comes."""
    method = rules.delivery(target.name).rendering or rules.rendering
    return {"said": method.values_text(target), "plain": method == Rise()}


def _form_values(row: OwnOutput | None, given: dict[str, Any]) -> dict[str, Any]:
    """What the form shows: what was refused, else the definition that is chosen, else an SDR display."""
    shown = row.custom if row else CustomOutput(name="new")
    values = {**shown.model_dump(mode="json"), **({} if row else {"name": ""}), **given}
    own = values["primaries"] if isinstance(values["primaries"], dict) else {}
    values = {**{f"{key}_{axis}": pair[i] for key, pair in own.items() for i, axis in enumerate("xy")}, **values}
    return {**values, "default_depth": whole_or(str(values["default_depth"]), 10)}


def _form_of(rules: Any, target: Output) -> tuple[Any, int]:
    """Range and depth: the production's where it delivers the output, else the output's own."""
    aim = rules.delivery(target.name)
    return (aim.range, aim.depth) if aim.output == target.name else (target.default_range, target.default_depth)


@require_POST
@production_view(change=True)
def render_by_rise(request: HttpRequest, production: Production) -> HttpResponse:
    """Gives a delivered output the default rendering again, as where a table was used."""
    name = request.POST.get("output", "")
    try:
        if name == production.rule_set.output:
            render_production(production, Rise())
            messages.success(
                request, "The production is rendered by Rise again; shots with a rendering of their own keep it."
            )
        else:
            render_delivery(production, name, Rise())
            messages.success(request, f"{name} is rendered by Rise again.")
    except UpwellingError as error:
        messages.error(request, str(error))
    return redirect(f"{reverse('outputs', args=[production.slug])}?{urlencode({'name': name})}")


@require_POST
@production_view(change=True)
def deliver(request: HttpRequest, production: Production) -> HttpResponse:
    """Puts an output on the production's list, takes it off, or makes it the main one."""
    name, what = request.POST.get("output", ""), request.POST.get("what", "")
    try:
        if what == "off":
            no_longer_deliver(production, name)
        else:
            depth = whole_or(request.POST["depth"]) if request.POST.get("depth") else None
            said = deliver_output(production, name, request.POST.get("range", ""), depth, main=what == "main")
            if said:
                messages.success(request, said)
    except UpwellingError as error:
        messages.error(request, f"Not changed. {error}")
    return redirect(f"{reverse('outputs', args=[production.slug])}?{urlencode({'name': name})}")


@require_POST
@production_view(change=True)
def remove(request: HttpRequest, production: Production, pk: int) -> HttpResponse:
    """Removes an output of the production's own that it does not deliver."""
    row = get_object_or_404(OwnOutput, pk=pk, production=production)
    try:
        remove_output(row)
    except UpwellingError as error:
        messages.error(request, str(error))
    else:
        messages.success(request, f"{row.name} is removed.")
    return redirect("outputs", production.slug)
