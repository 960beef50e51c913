"""Decoded frames, kept while they are worked on: the file's codes at full and at working resolution."""

from __future__ import annotations

import threading
from collections import OrderedDict
from dataclasses import dataclass
from typing import Any

from upwelling.core.media import Still, read_still
from upwelling.core.scopes import camera_plateau
from upwelling.web.footage.models import Shot
from upwelling.web.footage.pictures import block_mean

WORKING_WIDTH, WORKING_HEIGHT = 960, 540
_KEPT = 6


@dataclass(frozen=True, eq=False)
class Frame:
    """One decoded still; ``working`` is the mean over blocks of ``factor`` × ``factor`` pixels of code."""

    still: Still
    working: Any
    factor: int
    plateau_code: float
    plateau_share: float


_frames: OrderedDict[str, Frame] = OrderedDict()
_lock = threading.Lock()


def frame_of(shot: Shot) -> Frame:
    """The shot's frame, decoded once and then kept; raises UnreadableFile when the file has gone bad."""
    with _lock:
        if shot.file in _frames:
            _frames.move_to_end(shot.file)
            return _frames[shot.file]
    still = read_still(shot.disk_path)
    frame = Frame(still, *_reduced(still.code), *camera_plateau(still.code))
    with _lock:
        _frames[shot.file] = frame
        while len(_frames) > _KEPT:
            _frames.popitem(last=False)
    return frame


def _reduced(code: Any) -> tuple[Any, int]:
    height, width = code.shape[:2]
    factor = max(1, -(-width // WORKING_WIDTH), -(-height // WORKING_HEIGHT))
    if factor == 1 or min(height, width) < factor:
        return code, 1
    return block_mean(code, factor), factor
