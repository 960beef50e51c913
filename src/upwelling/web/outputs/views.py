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
from upwelling.web.footage.models import shots_of
from upwelling.web.footage.torture_chart import FILE as TORTURE_FILE
from upwelling.web.productions.forms import typed_number
from upwelling.web.productions.models import OwnOutput, production_for, readable
from upwelling.web.productions.rules import Delivery
from upwelling.web.productions.services import define_output, remove_output, serves, set_rules

DEPTHS = (8, 10, 12, 16)
CURVES = ("BT.1886", "sRGB", "gamma 2.2", "gamma 2.4", "gamma 2.6", "PQ", "HLG")
SPACES = ("BT.709", "P3-D65", "P3-DCI", "BT.2020")


@require_http_methods(["GET", "POST"])
def outputs(request: HttpRequest, slug: str) -> HttpResponse:
    """All outputs in a table, one of them in full, and the form for one of the production's own."""
    production = production_for(request.user, slug, change=request.method == "POST")
    given: dict[str, Any] = {}
    if request.method == "POST":
        given = request.POST.dict()
        try:
            row = define_output(production, request.user, _definition(given), replaces=given.get("replaces", ""))
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
    shots = [shot for shot in shots_of(production) if shot.settled.is_settled and shot.is_managed]
    programme = [shot for shot in shots if shot.original_name != TORTURE_FILE]
    return render(request, "outputs/outputs.html", {
        "production": production, "role": production.role_of(request.user), "rules": rules, "given": _form_values(rows.get(chosen.name), given),
        "rows": [{"output": o, "levels": levels(o, *_form_of(rules, o)), "form": _form_of(rules, o), "state": delivered.get(o.name, ""), "own": rows.get(o.name)}
                 for o in listed],
        "chosen": chosen, "chosen_form": _form_of(rules, chosen), "chosen_state": delivered.get(chosen.name, ""), "chosen_own": rows.get(chosen.name),
        "rendered": _rendered(rules, chosen) if chosen.name in delivered else None,
        "codes": [{"depth": depth, "full": levels(chosen, "full", depth), "legal": levels(chosen, "legal", depth)} for depth in DEPTHS],
        "level_names": [level.name for level in levels(chosen, "full", 10)], "depths": DEPTHS, "curves": CURVES, "spaces": SPACES, "chromaticities": [(key, axis, f"{key}_{axis}") for key in ("red", "green", "blue", "white") for axis in "xy"],
        "surrounds": ("dark", "dim", "average"),
        "mastering": MasteringDisplay.of(chosen) if chosen.curve_name == "PQ" else None, "first_shot": shots[0] if shots else None,
        "data": {"shots": [{"url": reverse("light-level", args=[slug, shot.pk]), "name": shot.name} for shot in programme], "output": chosen.name},
    })


def _rendered(rules: Any, target: Output) -> dict[str, Any]:
    """What renders a delivered output, in a few words with numbers, and whether it is Rise as it comes."""
    method = rules.delivery(target.name).rendering or rules.rendering
    return {"said": method.said(target), "plain": method == Rise()}


def _form_values(row: OwnOutput | None, given: dict[str, Any]) -> dict[str, Any]:
    """What the form shows: what was refused, else the definition that is chosen, else an SDR display."""
    shown = row.custom if row else CustomOutput(name="new")
    values = {**shown.model_dump(mode="json"), **({} if row else {"name": ""}), **given}
    own = values["primaries"] if isinstance(values["primaries"], dict) else {}
    values = {**{f"{key}_{axis}": pair[i] for key, pair in own.items() for i, axis in enumerate("xy")}, **values}
    return {**values, "default_depth": int(values["default_depth"]) if str(values["default_depth"]).isdigit() else 10}


def _form_of(rules: Any, target: Output) -> tuple[Any, int]:
    """Range and depth: the production's where it delivers the output, else the output's own."""
    aim = rules.delivery(target.name)
    return (aim.range, aim.depth) if aim.output == target.name else (target.default_range, target.default_depth)


def _definition(given: dict[str, Any]) -> dict[str, Any]:
    body: dict[str, Any] = {key: given.get(key, "").strip() for key in ("name", "note", "curve", "primaries", "limit", "surround", "default_range")}
    for key in ("peak_nits", "black_nits", "mid_grey_nits", "white_nits"):
        body[key] = typed_number(given.get(key), key.replace("_nits", "").replace("_", " "), ", in cd/m²")
    if given.get("red_x", "").strip():
        body["primaries"] = {key: [typed_number(given.get(f"{key}_{axis}"), f"{key} {axis}", ", a CIE 1931 chromaticity") for axis in "xy"]
                             for key in ("red", "green", "blue", "white")}
    body["default_depth"] = int(given.get("default_depth", "10")) if given.get("default_depth", "10").isdigit() else 0
    return body


@require_POST
def render_by_rise(request: HttpRequest, slug: str) -> HttpResponse:
    """Gives a delivered output the default rendering again, as where a table was used."""
    production = production_for(request.user, slug, change=True)
    name, rules = request.POST.get("output", ""), production.rule_set
    if name == rules.output:
        set_rules(production, {"rendering": Rise().model_dump(mode="json")})
        messages.success(request, "The production is rendered by Rise again; shots with a rendering of their own keep it.")
    elif any(d.output == name for d in rules.deliveries):
        changed = [d.model_copy(update={"rendering": Rise()}) if d.output == name else d for d in rules.deliveries]
        set_rules(production, {"deliveries": [d.model_dump(mode="json") for d in changed]})
        messages.success(request, f"{name} is rendered by Rise again.")
    else:
        messages.error(request, "That output is not delivered, so nothing renders it.")
    return redirect(f"{reverse('outputs', args=[slug])}?{urlencode({'name': name})}")


@require_POST
def deliver(request: HttpRequest, slug: str) -> HttpResponse:
    """Puts an output on the production's list, takes it off, or makes it the main one."""
    production = production_for(request.user, slug, change=True)
    name, what = request.POST.get("output", ""), request.POST.get("what", "")
    rules = production.rule_set
    others, own = [d for d in rules.deliveries if d.output != name], False
    try:
        target = production.output_named(production.checked_output(name))
        code_range, depth = request.POST.get("range") or target.default_range, request.POST.get("depth") or str(target.default_depth)
        known = rules.delivery(target.name)
        this = Delivery.model_validate({"output": target.name, "range": code_range, "depth": int(depth) if depth.isdigit() else 0,
                                        "rendering": known.rendering if known.output == target.name != rules.output else None})
        if what == "add" and this.rendering is None and not serves(production, rules.rendering, target.name):
            this, own = this.model_copy(update={"rendering": Rise()}), True
        if what == "main":
            before = [Delivery(output=rules.output, range=rules.range, depth=rules.depth)] if rules.output != target.name else []
            change: dict[str, Any] = {"output": this.output, "range": this.range, "depth": this.depth, "deliveries": [d.model_dump() for d in (*before, *others)]}
        elif what == "add":
            change = {"deliveries": [d.model_dump() for d in (*others, this)]}
        else:
            change = {"deliveries": [d.model_dump() for d in others]}
        set_rules(production, change)
        if own:
            messages.success(request, f"The production’s rendering cannot serve {target.name}, so it has one of its own, Rise. Compare renderings to choose another.")
    except (UpwellingError, ValueError) as error:
        said = str(error) if isinstance(error, UpwellingError) else "Range is full or legal, depth 8, 10, 12 or 16 bit."
        messages.error(request, f"Not changed. {said}")
    return redirect(f"{reverse('outputs', args=[slug])}?{urlencode({'name': name})}")


@require_POST
def remove(request: HttpRequest, slug: str, pk: int) -> HttpResponse:
    """Removes an output of the production's own that it does not deliver."""
    production = production_for(request.user, slug, change=True)
    row = get_object_or_404(OwnOutput, pk=pk, production=production)
    try:
        remove_output(row)
    except UpwellingError as error:
        messages.error(request, str(error))
    else:
        messages.success(request, f"{row.name} is removed.")
    return redirect("outputs", slug)
