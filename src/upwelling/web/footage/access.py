"""Views of a shot and of a camera."""

from __future__ import annotations

from django.shortcuts import get_object_or_404

from upwelling.web.footage.models import Camera, Shot
from upwelling.web.productions.access import view_of
from upwelling.web.productions.models import Production


def _shot(production: Production, pk: int) -> Shot:
    shot = get_object_or_404(Shot.objects.select_related("camera"), pk=pk, production=production)
    shot.production = production
    return shot


def _camera(production: Production, pk: int) -> Camera:
    camera = get_object_or_404(Camera, pk=pk, production=production)
    camera.production = production
    return camera


shot_view, camera_view = view_of(_shot), view_of(_camera)
