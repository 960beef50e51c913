"""Views of a Look."""

from __future__ import annotations

from django.shortcuts import get_object_or_404

from upwelling.web.footage.look_models import Look
from upwelling.web.productions.access import view_of
from upwelling.web.productions.models import Production


def _look(production: Production, pk: int) -> Look:
    look = get_object_or_404(Look, pk=pk, production=production)
    look.production = production
    return look


look_view = view_of(_look)
