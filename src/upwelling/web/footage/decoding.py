"""By which matrix, and with chroma where, the planes of movies are decoded: said for a shot or for a camera."""

from __future__ import annotations

from upwelling.core.media.decoding import MATRICES
from upwelling.core.media.ycbcr import SITINGS
from upwelling.web.common.requests import Refused
from upwelling.web.footage.models import Camera, Shot

SAYABLE = {"matrix": MATRICES, "siting": SITINGS}
"""What can be said of each; empty: as the file says, or as is taken where it says nothing."""
_REFUSED = {
    "matrix": f"The matrix is one of {', '.join(MATRICES)}.",
    "siting": f"Chroma sits at one of {', '.join(SITINGS)}.",
}


def _checked(field: str, value: str) -> str:
    if value not in ("", *SAYABLE[field]):
        raise Refused(_REFUSED[field])
    return value


def set_decoding(shot: Shot, field: str, value: str) -> Shot:
    """Says the ``matrix`` or the ``siting`` of one movie; raises Refused for what has none."""
    if _checked(field, value) and (shot.kind != "movie" or not shot.ycbcr):
        raise Refused(f"{shot.name} is no movie of Y'CbCr, so nothing is to be said of how its planes are decoded.")
    setattr(shot, field, value)
    shot.save(update_fields=[field])
    return shot


def set_camera_decoding(camera: Camera, matrix: str, siting: str) -> Camera:
    """Says both for every movie of a camera of which nobody says something else; raises Refused."""
    camera.matrix, camera.siting = _checked("matrix", matrix), _checked("siting", siting)
    camera.save(update_fields=["matrix", "siting"])
    return camera
