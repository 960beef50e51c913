"""Views of a table that was brought in."""

from __future__ import annotations

from django.shortcuts import get_object_or_404

from upwelling.web.luts.models import ImportedLut
from upwelling.web.productions.access import view_of
from upwelling.web.productions.models import Production


def _lut(production: Production, pk: int) -> ImportedLut:
    row = get_object_or_404(ImportedLut, pk=pk, production=production)
    row.production = production
    return row


lut_view = view_of(_lut)
