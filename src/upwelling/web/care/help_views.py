"""Help: beside the work as a part of a page, and as pages of their own."""

from __future__ import annotations

from collections.abc import Callable

from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import render
from django.views.decorators.http import require_GET

from upwelling.web.care.guide import Page, documents, found, guides, picture_file
from upwelling.web.common.access import signed_in

LONGEST = 80


@require_GET
@signed_in
def help_index(request: HttpRequest) -> HttpResponse:
    """All guides and documents, or those that hold a word."""
    word = request.GET.get("find", "")[:LONGEST]
    return render(
        request, "care/help.html", {"guides": guides(), "documents": documents(), "word": word, "found": found(word)}
    )


@require_GET
@signed_in
def help_page(request: HttpRequest, name: str, find: Callable[[str], Page | None]) -> HttpResponse:
    """A guide or a document; with ``beside`` what a page shows of it beside the work."""
    page = find(name)
    if page is None:
        raise Http404("There is no such page of help.")
    kind = "beside" if "beside" in request.GET else "help_page"
    return render(request, f"care/{kind}.html", {"page": page})


@require_GET
@signed_in
def help_picture(request: HttpRequest, name: str) -> HttpResponseBase:
    """A picture of the documents."""
    file = picture_file(name)
    if file is None:
        raise Http404("There is no such picture.")
    return FileResponse(file.open("rb"))
