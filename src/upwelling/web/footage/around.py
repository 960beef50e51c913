"""The frames around one of a shot's, for steps that average over them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.blocks import block_mean
from upwelling.core.operations import Place
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.models import Shot


@dataclass(frozen=True)
class ShotFrames:
    """A shot's frames around that ``number``; those beyond the shot are none."""

    shot: Shot
    number: int

    def code(self, offset: int, shape: tuple[int, int], place: Place) -> Any | None:
        """See Frames."""
        wanted = self.number + offset
        if not self.shot.first_frame <= wanted <= self.shot.last_frame:
            return None
        frame = frame_of(self.shot, wanted)
        if place == frame.place and frame.working.shape[:2] == shape:
            return frame.working
        step, (rows, columns) = max(int(place.step), 1), shape
        top, left = round(place.top), round(place.left)
        code = frame.still.code[top : top + rows * step, left : left + columns * step]
        return block_mean(code, step) if step > 1 else np.ascontiguousarray(code, dtype=np.float32)
