"""A production's own encodings: the page, defining, removing."""

from __future__ import annotations

import tempfile
from pathlib import Path as FilePath
from typing import Any

import numpy as np
from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from upwelling.core.apart import check_survivable
from upwelling.core.colour.primaries import PRIMARIES
from upwelling.core.encodings import ENCODINGS
from upwelling.core.encodings.custom import LogForm, MakerLut
from upwelling.core.encodings.pairs import parse_pairs
from upwelling.core.errors import BadValue, UpwellingError
from upwelling.core.lut import Lut1D, ProcessList
from upwelling.core.tables.files import read_lut
from upwelling.web.common.forms import read_fields, read_primaries
from upwelling.web.common.requests import typed_number
from upwelling.web.encodings.models import OwnEncoding
from upwelling.web.encodings.plots import plot
from upwelling.web.productions.access import production_view
from upwelling.web.productions.models import Production, readable
from upwelling.web.productions.services import define_encoding, remove_encoding

LARGEST_LUT = 20 * 2**20
KINDS = (
    ("log", "Camera log form", "constants from a data sheet"),
    ("table", "Table", "measured or published pairs of code and light"),
    ("curve", "Known curve", "a built-in curve with other primaries"),
    ("lut", "Maker’s LUT", "a .cube with a declared output"),
)


@require_http_methods(["GET", "POST"])
@production_view(change="POST")
def own_encodings(request: HttpRequest, production: Production) -> HttpResponse:
    """The list, one of them plotted, and the form for a new one."""
    given: dict[str, Any] = {"white_x": 0.3127, "white_y": 0.3290}
    if request.method == "POST":
        given = request.POST.dict()
        try:
            row = define_encoding(
                production, request.user, _definition(request), replaces=request.POST.get("replaces", "")
            )
        except UpwellingError as error:
            messages.error(request, f"Not saved. {error}")
        else:
            messages.success(request, f"{row.name} is saved. {row.report}")
            return redirect(f"{request.path}?name={row.name}")
    rows, problems = readable(production.own_encodings.all(), "custom")
    for problem in problems:
        messages.warning(request, problem)
    chosen = next((row for row in rows if row.name == request.GET.get("name")), rows[0] if rows else None)
    return render(
        request,
        "productions/own_encodings.html",
        {
            "rows": [_row(row) for row in rows],
            "chosen": _row(chosen) if chosen else None,
            "given": given,
            "kinds": KINDS,
            "kind": given.get("kind", "log"),
            "primaries": list(PRIMARIES),
            "code_tops": CODE_TOPS,
            "encodings": list(ENCODINGS),
            "curves": sorted({e.curve_name for e in ENCODINGS.values()}),
        },
    )


def _row(row: OwnEncoding) -> dict[str, Any]:
    custom = row.custom
    made = custom.encoding()
    form: Any = custom.form
    is_lut = isinstance(form, MakerLut)
    return {
        "row": row,
        "kind": {k: title for k, title, _ in KINDS}[form.kind],
        "made": made,
        "plot": None if is_lut else plot(made),
        "lut": is_lut,
        "gives": form.gives if is_lut else "",
        "size": f"{form.dimensions}D, {form.size}" if is_lut else "",
        "codes": []
        if is_lut
        else [{"percent": f"{r * 100:g} %", "code": made.code_of(r) * 1023} for r in (0.0, 0.18, 0.90)],
        "stops": None if is_lut else made.stops,
        "space": made.primaries,
    }


CODE_TOPS = ("1", "255", "1023", "4095")
"""The largest code, by how codes are counted."""
_OPEN = "Choose {}; nothing is taken for granted."
LOG_FIELDS = ("base", "log_slope", "log_offset", "linear_slope", "linear_offset", "break_linear", "toe_slope")


def _definition(request: HttpRequest) -> dict[str, Any]:
    post = request.POST
    kind = post.get("kind", "log")
    body: dict[str, Any] = {
        "name": post.get("name", "").strip(),
        "note": post.get("note", "").strip(),
        "default_range": _asked(post, "default_range", "the range of the codes in its files"),
        "form": _form(request, kind),
    }
    space = post.get("primaries", "") or ("BT.709" if kind == "lut" else "")
    if not space:
        raise BadValue(_OPEN.format("the primaries its codes are of, or give them by xy"))
    body["primaries"] = read_primaries(post, "") if space == "own" else space
    return body


def _asked(post: Any, field: str, what: str) -> str:
    """What was chosen; raises BadValue where the choice was left open."""
    value = str(post.get(field, "")).strip()
    if not value:
        raise BadValue(_OPEN.format(what))
    return value


def _form(request: HttpRequest, kind: str) -> dict[str, Any]:
    post = request.POST
    if kind == "log":
        return {"kind": "log", **read_fields(LogForm, post, LOG_FIELDS)}
    if kind == "curve":
        return {"kind": "curve", "name": _asked(post, "curve", "the curve of its codes")}
    if kind == "table":
        lut = _uploaded(request, "table_file")
        if lut is not None:
            if not isinstance(lut, Lut1D):
                raise BadValue("A 3D LUT holds colours, not a curve. Choose “Maker’s LUT”, or hand in a 1D LUT.")
            codes = np.linspace(lut.domain.low[1], lut.domain.high[1], lut.size)
            return {"kind": "table", "code": codes.tolist(), "light": lut.table[:, 1].astype(float).tolist()}
        code, light = parse_pairs(
            post.get("pairs", ""), typed_number(_asked(post, "code_top", "how its codes are counted"), "code scale")
        )
        return {"kind": "table", "code": code, "light": light}
    lut = _uploaded(request, "lut_file")
    if lut is None:
        raise BadValue("Choose the maker’s .cube file.")
    return {
        "kind": "lut",
        "dimensions": 1 if isinstance(lut, Lut1D) else 3,
        "size": lut.size,
        "low": lut.domain.low,
        "high": lut.domain.high,
        "data": MakerLut.pack(lut.table),
        "expects": _asked(post, "expects", "the range that the LUT expects"),
        "gives": _asked(post, "gives", "what comes out of the LUT"),
        "gives_range": _asked(post, "gives_range", "the range that the LUT gives"),
    }


def _uploaded(request: HttpRequest, field: str) -> Any:
    given = request.FILES.get(field)
    if given is None:
        return None
    if given.size and given.size > LARGEST_LUT:
        raise BadValue(f"{given.name} is larger than {LARGEST_LUT // 2**20} MiB. A 65-point .cube is smaller.")
    with tempfile.TemporaryDirectory() as folder:
        place = FilePath(folder) / (FilePath(given.name or "lut.cube").name[-80:])
        place.write_bytes(given.read())
        check_survivable("table", place.name, str(place))
        lut = read_lut(place)
    if isinstance(lut, ProcessList):
        raise BadValue(
            "A process list cannot be an input here; use a .cube or Hald table. On the Looks page it can be brought in "
            "and declared."
        )
    return lut


@require_POST
@production_view(change=True)
def remove(request: HttpRequest, production: Production, pk: int) -> HttpResponse:
    """Removes a definition that nothing uses."""
    row = get_object_or_404(OwnEncoding, pk=pk, production=production)
    try:
        remove_encoding(row)
    except UpwellingError as error:
        messages.error(request, str(error))
    else:
        messages.success(request, f"{row.name} is removed.")
    return redirect("own-encodings", production.slug)
