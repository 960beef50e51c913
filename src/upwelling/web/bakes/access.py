"""Views of a bake and of a package."""

from __future__ import annotations

from django.shortcuts import get_object_or_404

from upwelling.web.bakes.models import Bake, Package
from upwelling.web.productions.access import view_of
from upwelling.web.productions.models import Production


def _bake(production: Production, pk: int) -> Bake:
    return get_object_or_404(Bake.objects.select_related("job", "shot", "created_by"), pk=pk, production=production)


def _package(production: Production, pk: int) -> Package:
    return get_object_or_404(Package.objects.select_related("job"), pk=pk, production=production)


bake_view, package_view = view_of(_bake), view_of(_package)
