"""A shot's frames as a piece of an order."""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import Any

from django.conf import settings

from upwelling.core.delivery.make import piece_of
from upwelling.core.delivery.order import Piece
from upwelling.core.path import Path
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of


def piece_of_shot(
    shot: Shot, output: str, first: int | None = None, last: int | None = None, *, path: Path | None = None, **how: Any
) -> Piece:
    """Frames of its file, all of the shot unless said otherwise, by its own path for an output or another; ``how`` as
    ``piece_of`` takes it.
    """
    return piece_of(
        shot.disk_path,
        path or path_of(shot, output=output),
        shot.first_frame if first is None else first,
        shot.last_frame if last is None else last,
        shot.reading,
        members=[FilePath(settings.MEDIA_FOLDER) / member for member in shot.members],
        name=shot.original_name,
        sha256=shot.sha256,
        **how,
    )
