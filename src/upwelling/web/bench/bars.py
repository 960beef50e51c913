"""Letterbox and pillarbox bars that intake found, in a working frame."""

from __future__ import annotations

from upwelling.web.footage.frames import Frame
from upwelling.web.footage.models import Shot


def bars_of(shot: Shot) -> tuple[int, int, int, int]:
    """Rows above and below, columns left and right, in pixels of the full frame, as intake found them."""
    found = shot.signal_json.get("bars") or (0, 0, 0, 0)
    top, bottom, left, right = (int(v) for v in found)
    return top, bottom, left, right


def bars_in(shot: Shot, frame: Frame) -> tuple[int, int, int, int]:
    """The bars in pixels of the working frame, and a little more, as compression smears their edges."""
    height, width = frame.working.shape[:2]
    top, bottom, left, right = (-(-v // frame.factor) for v in bars_of(shot))
    return (
        top + height // 60 if top else 0,
        bottom + height // 60 if bottom else 0,
        left + width // 60 if left else 0,
        right + width // 60 if right else 0,
    )
