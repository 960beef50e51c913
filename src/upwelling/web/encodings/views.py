"""The library of encodings."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from upwelling.core.colour.primaries import primaries
from upwelling.core.encodings import ENCODINGS, encoding
from upwelling.web.common.access import signed_in
from upwelling.web.encodings.plots import plot


@require_GET
@signed_in
def library(request: HttpRequest) -> HttpResponse:
    """All encodings in a table, one of them plotted with its anchors, primaries and sources."""
    chosen = encoding(request.GET.get("name") or "S-Log3/S-Gamut3.Cine")
    rows = [
        {"encoding": e, "codes": [e.code_of(r) * 1023 for r in (0.0, 0.18, 0.90)], "stops": e.stops}
        for e in ENCODINGS.values()
    ]
    published = {anchor.reflectance: anchor.code_10bit for anchor in chosen.curve.anchors}
    return render(
        request,
        "encodings/library.html",
        {
            "rows": rows,
            "chosen": chosen,
            "plot": plot(chosen),
            "space": primaries(chosen.primaries_name),
            "curve": chosen.curve,
            "stops": chosen.stops,
            "pairs": [
                e
                for e in ENCODINGS.values()
                if e.curve_name == chosen.curve_name and e.name != chosen.name and e.curve_name != "linear"
            ],
            "anchors": [
                {"percent": f"{r * 100:g} %", "code": chosen.code_of(r) * 1023, "published": published.get(r)}
                for r in (0.0, 0.18, 0.90)
            ],
        },
    )
