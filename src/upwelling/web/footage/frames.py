"""Decoded frames, kept while they are worked on: the file's codes at full and at working resolution."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from django.conf import settings

from upwelling.core.errors import UnreadableFile
from upwelling.core.media import Raw, Still
from upwelling.core.scopes import camera_plateau
from upwelling.web.footage.kept import Kept
from upwelling.web.footage.models import Shot
from upwelling.web.footage.pictures import block_mean, reduced

_kept: Kept[Frame] = Kept(lambda: settings.FRAME_MEMORY, lambda frame: frame.bytes)


@dataclass(frozen=True, eq=False)
class Frame:
    """One decoded frame; ``working`` is the mean over blocks of ``factor`` × ``factor`` pixels of code.

    A raw's working frame is decoded at half quality; its full demosaic is made when a pixel of it is first asked for.
    """

    read: Still | None
    raw: Raw | None
    key: tuple[Any, ...]
    working: Any
    factor: int
    width: int
    height: int
    plateau_code: float
    plateau_share: float

    @property
    def bytes(self) -> int:
        """Memory it takes, or will once its full frame is asked for."""
        return int(self.working.nbytes) + self.width * self.height * 12

    @cached_property
    def used_codes(self) -> tuple[float, float]:
        """The codes 0…1 between which 98 % of the picture's channels lie."""
        low, high = np.percentile(self.working[::4, ::4], [1, 99])
        return float(low), float(high)

    def part(self, x: int, y: int, width: int, height: int, most: tuple[int, int]) -> Any:
        """File code of a part of the full frame, reduced by whole blocks to at most ``most`` (width, height)."""
        code = self.still.code[y:y + height, x:x + width]
        factor = max(1, -(-width // most[0]), -(-height // most[1]))
        return np.ascontiguousarray(code, dtype=np.float32) if factor == 1 else block_mean(code, factor)

    @cached_property
    def still(self) -> Still:
        """The full frame, at delivery quality."""
        if self.read is not None:
            return self.read
        assert self.raw is not None
        return self.raw.frame(quality="full")


def frame_of(shot: Shot, index: int | None = None) -> Frame:
    """The frame that stands for the shot, or another of its frames, decoded once and then kept.

    Raises UnreadableFile when the file has gone bad.
    """
    number = shot.frame if index is None else min(max(index, shot.first_frame), shot.last_frame)
    reading = shot.reading if shot.kind == "movie" else None
    key = (shot.file, shot.sha256, number, reading)
    if (kept := _kept.get(key)) is not None:
        return kept
    footage = shot.footage
    if isinstance(footage, Raw):
        half = footage.frame(quality="half")
        working, factor = reduced(half.code)
        frame = Frame(None, footage, key, working, factor * 2, shot.width, shot.height, *camera_plateau(half.code))
    else:
        try:
            still = footage.frame(number, reading)
        except UnreadableFile as error:  # by the name a person knows it by
            raise type(error)(shot.original_name, error.problem) from None
        frame = Frame(still, None, key, *reduced(still.code), still.width, still.height, *camera_plateau(still.code))
    _kept.put(key, frame)
    return frame
