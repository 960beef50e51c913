"""Which packet of a movie each frame comes from.

Frame N is the Nth frame that a decode of the whole file gives. Packets carry presentation times, and where those are
whole and the decoder bears them out at both ends of the file, their order is the frames' order; else the file is
decoded once from end to end.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from upwelling.core.count_of import count_of

NO_TIME = np.iinfo(np.int64).min


def time_of(value: int | None) -> int:
    """A packet's time, or what stands for none."""
    return NO_TIME if value is None else int(value)


@dataclass(frozen=True, eq=False)
class Index:
    """Packets in file order, and frames by the packet each comes from.

    ``pts``, ``dts``, ``pos``, ``size`` (packets,) int64; ``key`` and ``discard`` (packets,) bool; ``order`` (frames,)
    the packet of each frame. ``counted``: packets do not tell frames apart, so that frames are counted from the start.
    ``missing``: packets that the file announces and does not hold; ``lost``: frames at its end that cannot be decoded.
    ``summed``: packets carry checksums.
    """

    pts: Any
    dts: Any
    pos: Any
    size: Any
    key: Any
    discard: Any
    order: Any
    counted: bool = False
    by_decoding: bool = False
    missing: int = 0
    lost: int = 0
    summed: bool = False

    @cached_property
    def when(self) -> Any:
        """(packets,) A rising measure of presentation; packets that are never shown count as last."""
        if not self.by_decoding:
            return np.where(self.pts == NO_TIME, np.iinfo(np.int64).max, self.pts)
        when = np.full(len(self.pts), np.iinfo(np.int64).max)
        when[self.order] = np.arange(len(self.order))
        return when

    @property
    def remarks(self) -> list[str]:
        """What is to be known of the file's frames."""
        found = []
        if self.missing:
            found.append(
                f"The file announces {len(self.pts) + self.missing} frames and holds {len(self.pts)}: it breaks off, "
                "or some were left out."
            )
        if self.lost:
            found.append(
                f"The last {count_of(self.lost, 'frame')} cannot be decoded and "
                f"{'are' if self.lost > 1 else 'is'} left out."
            )
        return found + self.uneven_notes

    @property
    def uneven(self) -> bool:
        """Whether frames come at different distances in time; a file whose times are no use counts as even."""
        if len(self.order) <= 2 or self.by_decoding:
            return False
        steps = np.diff(self.pts[self.order])
        return bool(steps.min() <= 0 or steps.max() > 1.6 * steps.min())  # less is a container's rounding

    @property
    def uneven_notes(self) -> list[str]:
        """What is to be known of that."""
        said = "Frames come at an uneven rate; they are numbered one by one, as they come."
        return [said] if self.uneven else []

    @cached_property
    def matters(self) -> Any:
        """(packets,) True unless a packet can never be decoded: leading pictures of a group whose forerunner was cut
        away.
        """
        found = self.discard.copy()
        found[self.order] = True
        return found

    @cached_property
    def _numbers(self) -> dict[Any, int]:
        """Packets by what identifies them after a seek; empty when nothing does."""
        for rows in (
            [int(v) for v in self.pos],
            list(zip(self.pts.tolist(), self.dts.tolist(), self.size.tolist(), strict=True)),
        ):
            found: dict[Any, int] = {mark: number for number, mark in enumerate(rows)}
            if len(found) == len(rows) and -1 not in found:
                return found
        return {}

    @cached_property
    def _keys(self) -> Any:
        return np.flatnonzero(self.key)

    @cached_property
    def _by_time(self) -> dict[int, int]:
        return {} if self.by_decoding else {int(self.pts[packet]): int(packet) for packet in self.order}

    def packet_of(self, frame: Any) -> int | None:
        """The packet a decoded frame is from: what travelled with it, or its presentation time."""
        return frame.opaque if frame.opaque is not None else self._by_time.get(frame.pts)

    def number_of(self, packet: Any) -> int | None:
        """The number of a packet read after a seek, or None."""
        if not self._numbers:
            return None
        by_place = self._numbers.get(int(packet.pos) if packet.pos is not None else -1)
        if by_place is not None and self.size[by_place] == packet.size:
            return by_place
        return self._numbers.get((time_of(packet.pts), time_of(packet.dts), packet.size))

    def starts_for(self, packet: int) -> list[int]:
        """Packets from which decoding reaches this one, the nearest first; the last is the file's start, 0.

        A group of pictures may be open: frames shown before its key frame lean on the group before. So the key frame
        must be shown no later than the frame wanted.
        """
        if self.counted:
            return [0]
        safe: list[int] = []
        place = int(np.searchsorted(self._keys, packet, side="right"))
        while place and len(safe) < 2:  # asked for every frame, so never a look at the whole file
            place -= 1
            if self.when[self._keys[place]] <= self.when[packet]:
                safe.append(int(self._keys[place]))
        return [start for start in safe if start] + [0]

    def time_of(self, packet: int) -> int:
        """A time to seek to that is not after the packet."""
        known = [int(v) for v in (self.pts[packet], self.dts[packet]) if v != NO_TIME]
        return min(known) if known else 0
