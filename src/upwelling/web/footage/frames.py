"""Decoded frames, kept while they are worked on: the file's codes at full and at working resolution."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from django.conf import settings

from upwelling.core.blocks import block_mean
from upwelling.core.errors import UnreadableFile
from upwelling.core.media import RawFootage, Reading, Still, frames_of
from upwelling.core.operations import Place
from upwelling.core.raw.mosaic import SHRINKS, Quality
from upwelling.core.scopes.plateau import Plateaus, camera_plateaus
from upwelling.web.common.kept import Kept
from upwelling.web.common.pictures import WORKING_HEIGHT, WORKING_WIDTH, reduced
from upwelling.web.footage.large_frames import on_disk, one_at_a_time
from upwelling.web.footage.models import Shot

SHOWN_SHARE = 0.85
"""A picture is drawn from a working frame of at least this share of the width it is shown at, while a hand moves."""
_kept: Kept[Frame] = Kept(lambda: settings.FRAME_MEMORY, lambda frame: frame.bytes)


@dataclass(frozen=True, eq=False)
class Frame:
    """One decoded frame, of that number in its file; ``working`` is the mean over blocks of ``factor`` × ``factor``
    pixels of code. The full frame of one that is ``mapped`` lies on disk.

    A raw's working frame is decoded at half quality; its full demosaic is made when a pixel of it is first asked for.
    """

    number: int
    read: Still | None
    raw: RawFootage | None
    key: tuple[Any, ...]
    working: Any
    factor: int
    width: int
    height: int
    mapped: bool = False

    @property
    def bytes(self) -> int:
        """Memory it takes, or will once its full frame is asked for; one that is mapped from disk takes none."""
        return 2 * int(self.working.nbytes) + (0 if self.mapped else self.width * self.height * 12)

    @cached_property
    def used_codes(self) -> tuple[float, float]:
        """The codes 0…1 between which 98 % of the picture's channels lie."""
        low, high = np.percentile(self.working[::4, ::4], [1, 99])
        return float(low), float(high)

    def shown_at(self, wide: int) -> Frame:
        """For a picture that is shown ``wide`` pixels wide while a hand moves: the frame with a working frame about as
        small, where that is smaller than its own.
        """
        full = self.read
        if full is None or self.mapped or wide <= 0:
            return self
        factor = max(int(self.width / (SHOWN_SHARE * wide)), 1)
        if factor <= self.factor or min(self.width, self.height) < factor:
            return self
        held: dict[int, Frame] = self.__dict__.setdefault("smaller", {})
        if factor not in held:
            small = block_mean(full.code, factor)
            held[factor] = replace(self, working=small, factor=factor, key=(*self.key, factor))
            held[factor].__dict__["plateaus"] = self.plateaus
        return held[factor]

    @cached_property
    def plateaus(self) -> Plateaus:
        """Where each channel clipped in camera, by the working frame."""
        return camera_plateaus(self.working)

    @property
    def place(self) -> Place:
        """Where the working frame lies: all of the frame, but for what is left over at the edges."""
        return Place(self.width, self.height, step=self.factor)

    def reduced(self, factor: int) -> tuple[Any, Place]:
        """The working frame made smaller again, by whole blocks, and where that lies."""
        return np.ascontiguousarray(block_mean(self.working, factor)), Place(
            self.width, self.height, step=self.factor * factor
        )

    def part(
        self, x: int, y: int, width: int, height: int, most: tuple[int, int], margin: Callable[[float], int]
    ) -> tuple[Any, Place, tuple[slice, slice]]:
        """File code of a part of the full frame, reduced by whole blocks to at most ``most`` (width, height), with a
        margin around it as far as the frame goes; where it lies; and what of it is the part. ``margin`` is asked how
        many pixels of a size in frame heights are needed.
        """
        factor = max(1, -(-width // most[0]), -(-height // most[1]))
        rows, columns = height // factor, width // factor
        around = margin(factor / self.height)
        above, before = min(around, y // factor), min(around, x // factor)
        below = min(around, (self.height - y - rows * factor) // factor)
        after = min(around, (self.width - x - columns * factor) // factor)
        top, left = y - above * factor, x - before * factor
        high, wide = (above + rows + below) * factor, (before + columns + after) * factor
        code = self.still.code[top : top + high, left : left + wide]
        small = np.ascontiguousarray(code, dtype=np.float32) if factor == 1 else block_mean(code, factor)
        place = Place(self.width, self.height, left, top, factor)
        return small, place, (slice(above, above + rows), slice(before, before + columns))

    def window(self, x: int, y: int, reach: int) -> tuple[Any, Place, tuple[int, int]]:
        """File code of a pixel of the full frame and so many around it as far as the frame goes; where it lies, and the
        pixel's row and column in it.
        """
        top, left = max(y - reach, 0), max(x - reach, 0)
        code = self.still.code[top : y + reach + 1, left : x + reach + 1]
        return code, Place(self.width, self.height, left, top), (y - top, x - left)

    @cached_property
    def still(self) -> Still:
        """The full frame, at delivery quality."""
        if self.read is not None:
            return self.read
        assert self.raw is not None
        return self.raw.frame(self.number)


def frame_of(shot: Shot, index: int | None = None) -> Frame:
    """The frame that stands for the shot, or another of its frames, decoded once and then kept.

    Raises UnreadableFile when the file has gone bad.
    """
    number = shot.frame if index is None else min(max(index, shot.first_frame), shot.last_frame)
    reading = shot.reading if shot.kind == "movie" else None
    key = (shot.file, shot.sha256, number, reading)
    if (kept := _kept.get(key)) is not None:
        return kept
    with one_at_a_time(key, shot.width * shot.height):
        if (kept := _kept.get(key)) is not None:
            return kept
        frame = _decoded(shot, number, reading, key)
        _kept.put(key, frame)
        return frame


def _alike(shot: Shot) -> Still:
    depth: Any = shot.depth
    return Still(np.zeros((1, 1, 3), np.float32), shot.container, depth)


def _named(error: UnreadableFile, shot: Shot) -> UnreadableFile:
    """The same of a file by the name that a person knows it by."""
    return type(error)(shot.original_name, error.problem)


def small_codes(shot: Shot, numbers: Sequence[int], factor: int) -> list[Any]:
    """Codes of some frames by rising number, the mean of each block of ``factor`` × ``factor`` pixels. Raws are decoded
    no larger than that needs; a movie is opened once for all.
    """
    footage = shot.footage
    if not isinstance(footage, RawFootage):
        reading = shot.reading if shot.kind == "movie" else None
        return [block_mean(still.code, factor) for still in frames_of(footage, numbers, reading)]
    quality: Quality = next((name for name, shrinks in SHRINKS.items() if factor % shrinks == 0), "full")
    stills = [footage.frame(number, None, quality) for number in sorted(numbers)]
    return [block_mean(still.code, factor // SHRINKS.get(quality, 1)) for still in stills]


def _decoded(shot: Shot, number: int, reading: Reading | None, key: tuple[Any, ...]) -> Frame:
    try:
        footage = shot.footage
    except UnreadableFile as error:
        raise _named(error, shot) from None
    if isinstance(footage, RawFootage):
        # Decoded at a quarter where that is still as large as a working frame.
        large = shot.width >= 4 * WORKING_WIDTH and shot.height >= 4 * WORKING_HEIGHT
        quality: Quality = "quarter" if large else "half"
        try:
            working, factor = reduced(footage.frame(number, None, quality).code)
        except UnreadableFile as error:
            raise _named(error, shot) from None
        return Frame(number, None, footage, key, working, factor * SHRINKS[quality], shot.width, shot.height)

    def decode() -> Still:
        try:
            return footage.frame(number, reading)
        except UnreadableFile as error:
            raise _named(error, shot) from None

    large = shot.width * shot.height * 12 > settings.FRAME_MEMORY // 2
    still = on_disk(shot.sha256, f"{number}-{reading}", _alike(shot), decode) if large else decode()
    return Frame(number, still, None, key, *reduced(still.code), still.width, still.height, large)
