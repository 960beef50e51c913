"""What people say of a movie where its file is wrong or silent: matrix and chroma, of a shot or a camera, and rate."""

from __future__ import annotations

from typing import TYPE_CHECKING

from upwelling.core.media.decoding import MATRICES
from upwelling.core.media.rates import rate_text, read_rate
from upwelling.core.media.ycbcr import SITINGS
from upwelling.web.common.requests import Refused

if TYPE_CHECKING:  # they ask here what is said of them
    from upwelling.web.footage.models import Camera, Shot

SAYABLE = {"matrix": MATRICES, "siting": SITINGS}
"""What can be said of each; empty: as the file says, or as is taken where it says nothing."""
_REFUSED = {
    "matrix": f"The matrix is one of {', '.join(MATRICES)}.",
    "siting": f"Chroma sits at one of {', '.join(SITINGS)}.",
}


def said_of(shot: Shot, field: str) -> tuple[str, str]:
    """The ``matrix`` or ``siting`` that a person says, of the shot or of its camera, and of which."""
    if own := getattr(shot, field):
        return own, "set by hand"
    shared = getattr(shot.camera, field) if _is_coded(shot) and shot.camera else ""
    return (shared, f"set for {shot.camera}") if shared else ("", "")


def matrix_of(shot: Shot) -> tuple[str, str]:
    """The matrix that a person or the camera's other clips say, and who does; empty where it is the file's own, or
    nobody knows.
    """
    said = said_of(shot, "matrix")
    if said[0] or not _is_coded(shot) or shot.facts.tags.matrix or not shot.camera:
        return said
    clips = shot.camera.matrix_of_clips
    return (clips, f"as the other clips of {shot.camera} say") if clips else ("", "")


def _is_coded(shot: Shot) -> bool:
    return shot.kind == "movie" and shot.ycbcr and bool(shot.facts_json)


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


def set_rate(shot: Shot, value: str) -> Shot:
    """Says how many frames a second what moves was shot at, empty as its file says; raises Refused or BadValue."""
    if shot.kind in ("still", "raw"):
        raise Refused(f"{shot.name} is a still and has no rate.")
    shot.rate = float(read_rate(value)) if value.strip() else shot.facts_json.get("rate", 0.0)
    shot.save(update_fields=["rate"])
    return shot


def set_runs(shot: Shot, value: str) -> Shot:
    """Says the rate that what moves is to run at, each frame shown once: empty as recorded, “production”, or a rate.

    Raises Refused or BadValue.
    """
    if shot.kind in ("still", "raw"):
        raise Refused(f"{shot.name} is a still and has no rate.")
    said = value.strip()
    if said == "production" and not shot.production.rule_set.rate:
        raise Refused("The production has no rate yet. Set its frames a second among its rules.")
    shot.runs = said if said in ("", "production") else rate_text(read_rate(said))
    shot.save(update_fields=["runs"])
    return shot


def set_camera_decoding(camera: Camera, matrix: str, siting: str) -> Camera:
    """Says both for every movie of a camera of which nobody says something else; raises Refused."""
    camera.matrix, camera.siting = _checked("matrix", matrix), _checked("siting", siting)
    camera.save(update_fields=["matrix", "siting"])
    return camera
