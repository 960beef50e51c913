"""The layers of a production: whose they are, what they do, who takes them otherwise, and their versions."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.db.models import Count
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.path import LAYER_TITLES
from upwelling.web.common.requests import Refused, whole_or
from upwelling.web.footage.layer_models import SharedLayer, title_of
from upwelling.web.footage.layer_services import bring_back, exceptions, followers, redo_layer, undo_layer
from upwelling.web.footage.listing import managed
from upwelling.web.footage.look_models import looks_of
from upwelling.web.productions.access import production_view, view_of
from upwelling.web.productions.models import Production

SHOWN = 40
"""Exceptions that a list shows."""


def _layer(production: Production, pk: int) -> SharedLayer:
    held = get_object_or_404(SharedLayer.objects.select_related("camera", "group"), pk=pk, production=production)
    held.production = production
    return held


layer_view = view_of(_layer)


@require_GET
@production_view()
def layers(request: HttpRequest, production: Production) -> HttpResponse:
    """All layers in their order: cameras' trims, groups' trims, Looks, finishes."""
    held = {one.pk: one for one in production.layers.select_related("camera", "group")}
    by_camera = {one.camera_id: one for one in held.values()}
    by_group = {one.group_id: one for one in held.values()}
    table = looks_of(production)
    rows = [
        _row(production, by_camera.get(camera.pk), "camera_trim", camera.name, camera.count, {"camera": camera.pk})
        for camera in production.cameras.annotate(count=Count("shots"))
    ]
    groups = list(production.groups.annotate(count=Count("shots")))
    rows += [
        _row(production, by_group.get(group.pk), "group_trim", group.name, group.count, {"group": group.pk})
        for group in groups
    ]
    finishes = [one for one in held.values() if one.kind == "finish"]
    for one in finishes:
        rows.append(_row(production, one, "finish", one.output, production.shots.count(), {}))
    return render(
        request,
        "looks/layers.html",
        {
            "rows": rows,
            "for_all": table.for_all,
            "groups": [
                {"group": group, "over": table.over.get(group.pk)} for group in groups if group.pk in table.over
            ],
            "first": managed(production).order_by("name", "pk").values_list("pk", flat=True).first(),
            "finish": any(one.number for one in finishes),
        },
    )


def _row(
    production: Production, held: SharedLayer | None, kind: Any, whose: str, count: int, among: dict[str, int]
) -> dict[str, Any]:
    shots = managed(production).filter(**among)
    return {
        "title": title_of(kind, whose),
        "kind": kind,
        "held": held,
        "said": held.content.summary() if held else "",
        "off": bool(held and not held.content.on),
        "count": count,
        "apart": len(exceptions(held)) if held else 0,
        "shot": shots.order_by("name", "pk").values_list("pk", flat=True).first(),
    }


@require_GET
@layer_view()
def layer(request: HttpRequest, production: Production, held: SharedLayer) -> HttpResponse:
    """One layer: its steps, who follows it and who does not as it is, and its versions."""
    apart = exceptions(held)
    shots = followers(held)
    return render(
        request,
        "looks/layer.html",
        {
            "held": held,
            "content": held.content,
            "kind_title": LAYER_TITLES[held.kind],
            "count": shots.count(),
            "apart": apart[:SHOWN],
            "more": max(len(apart) - SHOWN, 0),
            "versions": held.versions.select_related("created_by"),
            "shot": managed(production)
            .filter(pk__in=shots)
            .order_by("name", "pk")
            .values_list("pk", flat=True)
            .first(),
        },
    )


@require_POST
@layer_view(change=True)
def manage_layer(request: HttpRequest, production: Production, held: SharedLayer) -> HttpResponse:
    """Undo, redo, or an earlier version brought back, for every shot that follows."""
    match request.POST.get("what"):
        case "undo":
            undo_layer(held)
        case "redo":
            redo_layer(held)
        case "back":
            bring_back(held, request.user, whole_or(request.POST.get("number")))
        case _:
            raise Refused("The page sent something that is no change of a layer. Reload it.")
    held.refresh_from_db()
    messages.success(request, f"{held} is as in version {held.number} now." if held.number else f"{held} is empty now.")
    return redirect("layer", production.slug, held.pk)
