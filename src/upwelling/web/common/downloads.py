"""Files handed to a person, and small pictures handed to a page."""

from __future__ import annotations

import tempfile
import zipfile
from collections.abc import Mapping
from pathlib import Path as FilePath
from typing import BinaryIO

from django.http import FileResponse, HttpResponse
from django.utils.http import content_disposition_header

from upwelling.web.common.requests import Refused

FOR_EVER = "private, max-age=31536000, immutable"
"""For addresses that change when their picture does."""


def text_file(text: str, name: str, kind: str) -> HttpResponse:
    """A text to be saved under a name; ``kind`` is its content type."""
    return HttpResponse(
        text, content_type=kind, headers={"Content-Disposition": content_disposition_header(True, name)}
    )


def saved_file(place: FilePath, name: str, kind: str = "application/octet-stream") -> FileResponse:
    """A file on disk to be saved under a name."""
    return FileResponse(_opened(place, name), as_attachment=True, filename=name, content_type=kind)


def zipped(name: str, members: Mapping[str, FilePath | str], *, packed: bool = False) -> FileResponse:
    """Files and texts as one zip, by their names in it; ``packed``: made smaller, else stored as they are."""
    body = tempfile.TemporaryFile()  # noqa: SIM115  the response closes it
    with zipfile.ZipFile(body, "w", zipfile.ZIP_DEFLATED if packed else zipfile.ZIP_STORED) as archive:
        for inside, content in members.items():
            if isinstance(content, str):
                archive.writestr(inside, content)
            else:
                archive.write(content, inside)
    body.seek(0)
    return FileResponse(body, as_attachment=True, filename=name)


def _opened(place: FilePath, name: str) -> BinaryIO:
    try:
        return place.open("rb")
    except OSError:
        raise Refused(
            f"The file of {name} is not on the server any more. Bring it back from a backup, or make it anew."
        ) from None


def picture_file(place: FilePath, kept: str) -> FileResponse:
    """A JPEG on disk, shown in a page; ``kept`` says how long the browser may keep it."""
    return FileResponse(_opened(place, "this picture"), content_type="image/jpeg", headers={"Cache-Control": kept})
