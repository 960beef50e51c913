"""Leaving letterbox and pillarbox bars out of what is measured."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.web.footage.frames import Frame
from upwelling.web.footage.models import Shot


def bars_of(shot: Shot) -> tuple[int, int, int, int]:
    """Rows above and below, columns left and right, in pixels of the full frame, as intake found them."""
    found = shot.signal_json.get("bars") or (0, 0, 0, 0)
    top, bottom, left, right = (int(v) for v in found)
    return top, bottom, left, right


def without_bars(shot: Shot, frame: Frame, picture: Any) -> Any:
    """A working picture (H, W, 3) without its bars, less a little more, as compression smears their edges."""
    if not any(bars_of(shot)):
        return picture
    height, width = picture.shape[:2]
    more_rows, more_columns = height // 60, width // 60
    top, bottom, left, right = (-(-v // frame.factor) for v in bars_of(shot))
    rows = slice(top + more_rows if top else 0, height - bottom - more_rows if bottom else height)
    columns = slice(left + more_columns if left else 0, width - right - more_columns if right else width)
    return np.ascontiguousarray(picture[rows, columns])
