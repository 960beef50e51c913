"""Bakes: the list, certificates, tolerances, and downloads."""

from __future__ import annotations

import json
from pathlib import Path as FilePath
from typing import Any

import numpy as np
from django.contrib import messages
from django.db.models import Count
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.bake import RECEIVERS
from upwelling.core.errors import BadLut, UpwellingError
from upwelling.core.proof import Tolerances
from upwelling.core.proof.certificate import VERDICTS
from upwelling.core.proof.samples import TESTED_PIXELS
from upwelling.core.proof.uses import SEEN, USES, miss_of, screen_code
from upwelling.web.bakes.access import bake_view
from upwelling.web.bakes.models import Bake
from upwelling.web.bakes.orders import model_shots, receivers_of
from upwelling.web.bakes.services import bake_again, remove_bake, verify_again
from upwelling.web.bakes.swatches import depths_said, neutral_plot, swatches
from upwelling.web.bakes.variants import with_shots
from upwelling.web.common.downloads import saved_file, text_file, zipped
from upwelling.web.common.finding import Choice, made_by, made_finder
from upwelling.web.common.forms import read_fields
from upwelling.web.common.paging import page_of
from upwelling.web.footage.listing import choices, managed
from upwelling.web.productions.access import production_view
from upwelling.web.productions.conflicts import as_seen, only_changed
from upwelling.web.productions.models import Production
from upwelling.web.productions.remarks import ASKED, remarked
from upwelling.web.productions.rules import Rules
from upwelling.web.productions.services import on_fresh_rules, set_rules

SORTS = (("new", "newest"), ("name", "name"), ("verdict", "verdict"))
ORDERS = {"new": ("-created", "-pk"), "name": ("file_name", "-pk"), "verdict": ("verdict", "-pk")}
EACH = 16
"""Bakes on one page, and packages that are listed."""


@require_GET
@production_view()
def bakes(request: HttpRequest, production: Production) -> HttpResponse:
    """All bakes and packages of a production, and the ways to new ones."""
    rules = production.rule_set
    every = production.bakes.all()
    asked = made_finder(request.GET, every, _choices(production), SORTS, "Name of a file or a shot")
    chosen = every.filter(verdict=asked["verdict"]) if asked["verdict"] else every
    if asked["camera"]:
        chosen = chosen.filter(shot__camera=int(asked["camera"]))
    chosen = remarked(chosen, "bake", asked["remark"])
    chosen = made_by(asked, chosen, ("file_name", "shot_name"), ORDERS)
    page = page_of(request, chosen.select_related("job", "created_by"), EACH)
    rows = with_shots(production, list(page.object_list))
    return render(
        request,
        "bakes/bakes.html",
        {
            "first_shot": production.shots.first(),
            "bakes": rows,
            "page": page,
            "finder": asked,
            "counts": verdict_counts(every),
            "rules": rules,
            "bakeable": choices(managed(production)),
            "packages": production.packages.select_related("job", "created_by")[:EACH],
            "outputs": rules.outputs,
            "receivers": receivers_of(production),
            "usual": RECEIVERS[0].name,
            "cameras": list(model_shots(production)),
            "seen": as_seen(_limits(rules)),
            "uses": [
                (use.name, use.why, use.sdr == rules.tolerances and use.hdr == rules.hdr_tolerances) for use in USES
            ],
            "misses": _misses(rules.tolerances),
            "limits": [
                (title, [("tolerances", name, sdr), ("hdr_tolerances", name, getattr(rules.hdr_tolerances, name))])
                for name, title, sdr in rules.tolerances.rows()
            ],
        },
    )


def _choices(production: Production) -> list[Choice]:
    cameras = [(str(pk), name) for pk, name in production.cameras.values_list("pk", "name")]
    return [
        Choice("verdict", "any verdict", [(verdict, verdict) for verdict in VERDICTS]),
        Choice("camera", "any camera", cameras),
        Choice("remark", "any remarks", ASKED),
    ]


def verdict_counts(rows: Any) -> list[tuple[str, int]]:
    """How many have which verdict, those that hold first."""
    many = dict(rows.order_by().exclude(verdict="").values_list("verdict").annotate(Count("pk")))
    return [(verdict, many[verdict]) for verdict in VERDICTS if verdict in many]


def _misses(limits: Tolerances) -> list[tuple[str, float, list[tuple[str, str]]]]:
    """What is just within a limit, shown: its name, its ΔE 2000, and pairs of colours that far apart."""
    shown = (
        ("neutral, worst", limits.neutral_max),
        ("99 % of a frame", limits.picture_p99),
        ("worst of a frame", limits.picture_max),
        ("worst anywhere", limits.anywhere_max),
    )
    return [
        (name, limit, [(screen_code(np.array(lab)), screen_code(miss_of(lab, limit))) for lab in SEEN])
        for name, limit in shown
    ]


def _limits(rules: Rules) -> dict[str, Any]:
    """Every tolerance by the name of its field in the form."""
    both = {"tolerances": rules.tolerances, "hdr_tolerances": rules.hdr_tolerances}
    return {f"{field}.{name}": value for field, one in both.items() for name, value in one.model_dump().items()}


def _merged(rules: Rules, changed: dict[str, Any]) -> dict[str, Any]:
    every = {**_limits(rules), **changed}
    return {
        field: {name.removeprefix(f"{field}."): value for name, value in every.items() if name.startswith(f"{field}.")}
        for field in ("tolerances", "hdr_tolerances")
    }


@require_POST
@production_view(change=True)
def tolerances(request: HttpRequest, production: Production) -> HttpResponse:
    """Sets what the production's bakes are held to."""
    use = next((one for one in USES if one.name == request.POST.get("use")), None)
    if use is not None:
        set_rules(production, {"tolerances": use.sdr.model_dump(), "hdr_tolerances": use.hdr.model_dump()})
        messages.success(request, f"Bakes are held to what {use.name} asks. Certificates made before keep theirs.")
        return redirect("bakes", production.slug)
    given = {
        field: Tolerances.checked(read_fields(Tolerances, request.POST, prefix=f"{field}.")).model_dump()
        for field in ("tolerances", "hdr_tolerances")
    }
    with on_fresh_rules(production) as now:
        flat = {f"{field}.{name}": value for field, one in given.items() for name, value in one.items()}
        changed = only_changed(request.POST.get("seen", ""), flat, _limits(now))
        set_rules(production, _merged(now, changed))
    messages.success(
        request,
        "The tolerances are saved. Certificates made before keep theirs; test a file again to hold it to these.",
    )
    return redirect("bakes", production.slug)


@require_GET
@bake_view()
def certificate(request: HttpRequest, production: Production, bake: Bake) -> HttpResponse:
    """The certificate as a page; of a bake by an earlier version, what is kept of it."""
    report, order = bake.certificate, bake.bake_order
    if report is None or order is None:
        if bake.certificate_json is None:
            raise Http404
        return render(request, "bakes/old_certificate.html", {"bake": bake})
    return render(
        request,
        "bakes/certificate.html",
        {
            "bake": bake,
            "certificate": report,
            "path": order.path,
            "order": order,
            "held_to": [
                (title, found, limit, found is None or found <= limit) for title, found, limit in report.held_to
            ],
            "swatches": swatches(report, order),
            "plot": neutral_plot(report),
            "recipe": json.dumps(_readable(bake.stored("order")), indent=2, ensure_ascii=False),
            "tested": report.made[:16].replace("T", " "),
            "depths": depths_said(order),
            "clipped_domain": f"{100 * report.clipped_domain:.2f} %",
            "frames": [{"name": f.name, "count": f.count, "outside": f"{100 * f.outside:.2f}"} for f in report.frames],
        },
    )


def _readable(body: Any) -> Any:
    """Plain data without the bytes of carried tables."""
    if isinstance(body, dict):
        return {
            key: (
                f"… {len(value)} characters"
                if key == "data" and isinstance(value, str) and len(value) > 200
                else _readable(value)
            )
            for key, value in body.items()
        }
    return [_readable(value) for value in body] if isinstance(body, list) else body


@require_POST
@bake_view(change=True)
def repeat(request: HttpRequest, production: Production, bake: Bake) -> HttpResponse:
    """Tests the file again, or bakes the same from the shot's present path."""
    if request.POST.get("what") == "verify":
        if not bake.file or not bake.disk_path.exists():
            raise BadLut(bake.file_name, "is no longer on this machine. Bake it again.")
        messages.success(
            request, f"{bake.file_name} was read from disk and tested again: it {verify_again(bake).verdict}."
        )
        return redirect("certificate", production.slug, bake.pk)
    bake_again(bake, request.user)
    return redirect("bakes", production.slug)


@require_POST
@bake_view(change=True)
def remove(request: HttpRequest, production: Production, bake: Bake) -> HttpResponse:
    """Removes a bake with its files."""
    try:
        remove_bake(bake)
        messages.success(request, f"{bake.file_name} and its certificate are removed.")
    except UpwellingError as error:
        messages.error(request, str(error))
    return redirect("bakes", production.slug)


def _sent(text: str, name: str) -> HttpResponse:
    return text_file(text, name, "application/json")


@require_GET
@bake_view()
def download(request: HttpRequest, production: Production, bake: Bake, frames: bool = False) -> FileResponse:
    """The table's file, or the tested frames' pixels beside it."""
    place = bake.frames_path if frames else bake.disk_path
    if not (bake.frames_file if frames else bake.file) or not place.exists():
        raise Http404
    return saved_file(place, bake.file_name + (TESTED_PIXELS if frames else ""))


@require_GET
@bake_view()
def all_of_it(request: HttpRequest, production: Production, bake: Bake) -> FileResponse:
    """The table with its certificate, recipe and tested pixels as one zip, as the command line proves it again."""
    if not bake.file or not bake.disk_path.exists():
        raise Http404
    name = bake.file_name
    members: dict[str, FilePath | str] = {
        name: bake.disk_path,
        f"{name}.certificate.json": _certificate_text(bake),
        f"{name}.recipe.json": bake.path.to_recipe(),
    }
    if bake.frames_file and bake.frames_path.exists():
        members[name + TESTED_PIXELS] = bake.frames_path
    return zipped(f"{name}.zip", members, packed=True)


def _certificate_text(bake: Bake) -> str:
    made = bake.certificate
    body = made.model_dump_json(indent=2) if made else json.dumps(bake.stored("certificate_json"), indent=2)
    return body + "\n"


@require_GET
@bake_view()
def certificate_json(request: HttpRequest, production: Production, bake: Bake) -> HttpResponse:
    """The certificate as JSON."""
    if bake.certificate_json is None:
        raise Http404
    return _sent(_certificate_text(bake), f"{bake.file_name}.certificate.json")


@require_GET
@bake_view()
def recipe(request: HttpRequest, production: Production, bake: Bake) -> HttpResponse:
    """The recipe of the path that was baked, for the command line."""
    return _sent(bake.path.to_recipe(), f"{bake.file_name}.recipe.json")
