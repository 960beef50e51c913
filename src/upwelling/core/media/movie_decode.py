"""Frames of a movie by number: from a safe random access point, told apart by the packet they come from, damage never
passed over.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path as FilePath
from typing import Any

import av

from upwelling.core.errors import UnreadableFile
from upwelling.core.media.ffv1 import sums_are_right
from upwelling.core.media.movie_index import Index
from upwelling.core.media.movie_packets import DAMAGE, numbered

_INTRA = int(av.video.frame.PictureType.I)
ADVICE = "What is decoded there is not what was recorded. Copy the file again from its source, or choose another frame."


class Damaged(UnreadableFile):
    """A frame that cannot be decoded as it was recorded; the file's other frames may be whole."""


def frames_at(path: FilePath, index: Index, numbers: Sequence[int], threads: str = "AUTO") -> Iterator[Any]:
    """The frames of rising numbers, each as the codec's own frame; raises Damaged for one that is broken or leans on
    broken data.
    """
    run: _Run | None = None
    if index.by_decoding or (len(numbers) == 1 and index.key.all()):
        threads = "SLICE"  # several frames at once would only have one of them wait
    for number in numbers:
        frame = run.take(number) if run is not None and run.leads_to(number) else None
        for start in index.starts_for(int(index.order[number])):
            if frame is not None:
                break
            run = _Run(path, index, start, threads)
            frame = run.take(number)
            if run.is_confused:  # several threads met damage: one alone says where
                run, threads = _Run(path, index, start, "SLICE"), "SLICE"
                frame = run.take(number)
        if frame is None:
            raise Damaged(path, f"frame {number} does not come out of the decoder. {ADVICE}")
        yield frame


class _Run:
    """One decode, from a packet on, in the order of the file."""

    def __init__(self, path: FilePath, index: Index, start: int, threads: str) -> None:
        self.path, self.index, self.start, self.fed, self.threads = path, index, start, start - 1, threads
        self._packets = numbered(path, index, start, threads)
        self._ready: list[tuple[int, Any]] = []
        self._bad: dict[int, str] = {}
        self.is_confused = False
        self._is_sound = start == 0
        self._latest = -1
        self._given = 0

    def leads_to(self, number: int) -> bool:
        """True when going on reaches a frame no later than a seek would."""
        packet = int(self.index.order[number])
        gone = self._latest >= 0 and self.index.when[packet] <= self.index.when[self._latest]
        return not gone and self.index.starts_for(packet)[0] <= self.fed + 1

    def take(self, number: int) -> Any | None:
        """The frame of a number, or None when it does not come; raises Damaged if anything it may lean on is."""
        packet = int(self.index.order[number])
        while True:
            while self._ready:
                came, frame = self._ready.pop(0)
                self._given += 1
                # A picture that refreshes bit by bit is no safe start, whatever the container calls it.
                self._is_sound = self._is_sound or (came == self.start and int(frame.pict_type) == _INTRA)
                if not self._is_sound:
                    return None
                if self._given > number if self.index.counted else came == packet:
                    self._latest = packet
                    self._refuse_damage(packet, number)
                    return frame
                if not self.index.counted and self.index.when[came] > self.index.when[packet]:
                    self._ready.insert(0, (came, frame))
                    self._refuse_damage(packet, number)
                    return None
            if not self._feed():
                if not self.is_confused:
                    self._refuse_damage(packet, number)
                return None

    def _refuse_damage(self, packet: int, number: int) -> None:
        first = max(self.start, self.index.starts_for(packet)[0])
        bad = [p for p in self._bad if self.index.counted or (first <= p <= packet and self.index.matters[p])]
        if packet in bad:
            raise Damaged(self.path, f"frame {number} is damaged ({self._bad[packet]}). {ADVICE}")
        if bad:
            raise Damaged(self.path, f"frame {number} leans on damaged data before it ({self._bad[bad[-1]]}). {ADVICE}")

    def _feed(self) -> bool:
        """One more packet into the decoder; False at the end."""
        number, packet = next(self._packets, (-1, None))
        if packet is None:
            return False
        if number >= 0:
            self.fed = number
            if packet.is_corrupt:
                self._bad[number] = "the file is broken or cut there"
            if self.index.summed and not sums_are_right(bytes(packet)):
                self._bad[number] = "its checksum is wrong"
        try:
            frames = packet.decode()
        except DAMAGE as error:
            if self.threads != "SLICE":
                self.is_confused = True
                return False
            if number < 0:
                return False
            self._bad[number] = reason(error)
            return True
        for frame in frames:
            came = self.index.packet_of(frame)
            if frame.is_corrupt:
                self._bad[number if came is None else came] = "the codec reports errors in its data"
            if came is not None or self.index.counted:
                self._ready.append((-1 if came is None else came, frame))
        return number >= 0 or bool(frames)


def reason(error: BaseException) -> str:
    """A library's error as a few words."""
    text = getattr(error, "strerror", None) or str(error) or type(error).__name__
    return str(text).split("\n", 1)[0].split(":", 1)[0].strip()[:80].lower()
