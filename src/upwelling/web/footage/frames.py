"""Decoded frames, kept while they are worked on: the file's codes at full and at working resolution."""

from __future__ import annotations

import threading
from collections import OrderedDict
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from upwelling.core.media import Raw, Still
from upwelling.core.scopes import camera_plateau
from upwelling.web.footage.models import Shot
from upwelling.web.footage.pictures import reduced

_KEPT = 6


@dataclass(frozen=True, eq=False)
class Frame:
    """One decoded frame; ``working`` is the mean over blocks of ``factor`` × ``factor`` pixels of code.

    A raw's working frame is decoded at half quality; its full demosaic is made when a pixel of it is first asked for.
    """

    read: Still | None
    raw: Raw | None
    working: Any
    factor: int
    width: int
    height: int
    plateau_code: float
    plateau_share: float

    @cached_property
    def still(self) -> Still:
        """The full frame, at delivery quality."""
        if self.read is not None:
            return self.read
        assert self.raw is not None
        return self.raw.frame(quality="full")


_frames: OrderedDict[tuple[Any, ...], Frame] = OrderedDict()
_lock = threading.Lock()


def frame_of(shot: Shot, index: int | None = None) -> Frame:
    """The frame that stands for the shot, or another of its frames, decoded once and then kept.

    Raises UnreadableFile when the file has gone bad.
    """
    number = shot.frame if index is None else min(max(index, shot.first_frame), shot.last_frame)
    reading = shot.reading if shot.ycbcr else None
    key = (shot.file, shot.sha256, number, reading)
    with _lock:
        if key in _frames:
            _frames.move_to_end(key)
            return _frames[key]
    footage = shot.footage
    if isinstance(footage, Raw):
        half = footage.frame(quality="half")
        working, factor = reduced(half.code)
        frame = Frame(None, footage, working, factor * 2, shot.width, shot.height, *camera_plateau(half.code))
    else:
        still = footage.frame(number, reading)
        frame = Frame(still, None, *reduced(still.code), still.width, still.height, *camera_plateau(still.code))
    with _lock:
        _frames[key] = frame
        while len(_frames) > _KEPT:
            _frames.popitem(last=False)
    return frame
