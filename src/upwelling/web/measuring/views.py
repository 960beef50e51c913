"""Measuring a camera that is in no list: choosing its pictures, saying what they are, and what came out."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from upwelling.core.characterise import ALL, TARGETS, CameraReport
from upwelling.core.characterise.spectra import LIGHTS
from upwelling.core.errors import UpwellingError
from upwelling.web.common.paging import page_of
from upwelling.web.common.requests import whole_list, whole_or
from upwelling.web.footage.finding import found, shot_finder
from upwelling.web.footage.listing import loaded
from upwelling.web.measuring.drawing import drawn, screen_colour
from upwelling.web.measuring.models import CameraMeasurement
from upwelling.web.measuring.services import begin, give_correction, save_encoding, say, work_out
from upwelling.web.productions.access import production_view, view_of
from upwelling.web.productions.models import Production

EACH = 60
BETTER = 0.1
"""ΔE by which the root-polynomial matrix must come nearer to be offered."""


def _measurement(production: Production, pk: int) -> CameraMeasurement:
    row = get_object_or_404(CameraMeasurement.objects.select_related("created_by"), pk=pk, production=production)
    row.production = production
    return row


measurement_view = view_of(_measurement)


@require_http_methods(["GET", "POST"])
@production_view(change="POST")
def measurements(request: HttpRequest, production: Production) -> HttpResponse:
    """Choosing the pictures of a camera; what was measured before."""
    if request.method == "POST":
        try:
            numbers = sorted(whole_list(request.POST.getlist("shot")))
            row = begin(production, request.user, numbers, request.POST.get("name", ""))
        except UpwellingError as error:
            messages.error(request, str(error))
        else:
            return redirect("measurement", production.slug, row.pk)
    asked = shot_finder(request.GET, production)
    page = page_of(request, found(asked, production.shots.all()), EACH)
    context = {
        "finder": asked,
        "page": page,
        "shots": loaded(production, page.object_list),
        "rows": production.measurements.select_related("created_by"),
        "given": request.POST,
        "chosen": whole_list(request.POST.getlist("shot")),
    }
    return render(request, "measuring/measurements.html", context)


@require_http_methods(["GET", "POST"])
@measurement_view(change="POST")
def measurement(request: HttpRequest, production: Production, row: CameraMeasurement) -> HttpResponse:
    """The pictures and what they tell; a POST keeps what was said of them, and measures."""
    if request.method == "POST":
        try:
            say(row, request.POST)
            work_out(row)
        except UpwellingError as error:
            messages.error(request, f"Not measured. {error}")
        return redirect("measurement", production.slug, row.pk)
    shots = {shot.pk: shot for shot in loaded(production, [one["shot"] for one in row.pictures])}
    report: CameraReport | None = None
    try:
        report = row.report
    except UpwellingError as error:
        messages.warning(request, str(error))
    light = request.GET.get("light", ALL)
    return render(
        request,
        "measuring/measurement.html",
        {
            "row": row,
            "percent": f"{row.reflectance * 100:g}",
            "pictures": [{**one, "shot": shots.get(one["shot"])} for one in row.pictures],
            "targets": TARGETS.items(),
            "lights": LIGHTS.items(),
            "report": report,
            "plot": drawn(report) if report else None,
            "colour": _colour(report, light) if report else None,
            "cameras": production.cameras.all(),
        },
    )


def _colour(report: CameraReport, light: str) -> dict[str, Any]:
    name = light if light in report.colour else ALL
    own = report.colour[name]
    patches = sorted(own.patches, key=lambda one: -one.left_out)
    return {
        "light": name,
        "lights": list(report.colour.items()),
        "own": own,
        "rows": list(zip(("red", "green", "blue"), own.primaries, own.unsure, strict=True)),
        "patches": [
            {"one": one, "wanted": screen_colour(one.wanted), "found": screen_colour(one.found)} for one in patches
        ],
        "roots": own.roots_left_out if own.roots_left_out < own.left_out - BETTER else None,
    }


@require_POST
@measurement_view(change=True)
def save(request: HttpRequest, production: Production, row: CameraMeasurement) -> HttpResponse:
    """Makes what was found an encoding of the production, or a camera's correction."""
    light = request.POST.get("light", "")
    try:
        if request.POST.get("what") == "correction":
            camera = get_object_or_404(production.cameras, pk=whole_or(request.POST.get("camera")))
            give_correction(row, camera, light)
            messages.success(request, f"{camera.name} is corrected by it; its page switches that off.")
        else:
            made = save_encoding(row, request.user, request.POST.get("name", ""), light, request.POST.get("range", ""))
            messages.success(request, f"{made.name} is saved: choose it wherever an encoding is said. {made.report}")
    except UpwellingError as error:
        messages.error(request, f"Not saved. {error}")
    return redirect("measurement", production.slug, row.pk)


@require_POST
@measurement_view(change=True)
def remove(request: HttpRequest, production: Production, row: CameraMeasurement) -> HttpResponse:
    """Forgets a measurement; encodings that were made of it stay."""
    row.delete()
    messages.success(request, f"The measurement of {row.name} is removed. Encodings made of it stay.")
    return redirect("measurements", production.slug)
