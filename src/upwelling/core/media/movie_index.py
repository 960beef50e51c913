"""Which packet of a movie each frame comes from, found once by demuxing and kept by content.

Frame N is the Nth frame that a decode of the whole file gives. Packets carry presentation times, and where those are whole and the
decoder bears them out at both ends of the file, their order is the frames' order; else the file is decoded once from end to end.
"""

from __future__ import annotations

import hashlib
import itertools
import os
import threading
import time
from collections import OrderedDict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, fields, replace
from functools import cached_property
from pathlib import Path
from typing import Any

import av
import numpy as np

from upwelling.core.errors import UnreadableFile
from upwelling.core.files import whole_file
from upwelling.core.media.ffv1 import sums_are_right

VERSION = 2
MOST_FILES = 2000
"""Indexes kept on disk; the oldest go."""
MOST_PACKETS = 2_000_000
HEAD_FRAMES = 24
"""Frames decoded from the start to see that packets and frames agree."""
LONGEST_GROUP = 400
"""Packets after the last random access point that are still decoded to see where the file ends."""
KEPT, KEPT_FROM = 64, 0.1
"""How many indexes are held in memory, and how many seconds one must take to be worth a file."""
_CONCEALING = ("h264", "mpeg1video", "mpeg2video", "mpeg4", "vc1")
_NO_TIME = np.iinfo(np.int64).min
DAMAGE: tuple[type[Exception], ...] = (av.error.FFmpegError, ValueError, OSError, EOFError, MemoryError)


@dataclass(frozen=True, eq=False)
class Index:
    """Packets in file order, and frames by the packet each comes from.

    ``pts``, ``dts``, ``pos``, ``size`` (packets,) int64; ``key`` and ``discard`` (packets,) bool; ``order`` (frames,) the packet of each
    frame. ``counted``: packets do not tell frames apart, so that frames are counted from the start. ``missing``: packets that the file
    announces and does not hold; ``lost``: frames at its end that cannot be decoded. ``summed``: packets carry checksums.
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
            return np.where(self.pts == _NO_TIME, np.iinfo(np.int64).max, self.pts)
        when = np.full(len(self.pts), np.iinfo(np.int64).max)
        when[self.order] = np.arange(len(self.order))
        return when

    @property
    def remarks(self) -> list[str]:
        """What is to be known of the file's frames."""
        found = []
        if self.missing:
            found.append(f"The file announces {len(self.pts) + self.missing} frames and holds {len(self.pts)}: it breaks off, or some were left out.")
        if self.lost:
            found.append(f"The last {self.lost} frame{'s' if self.lost > 1 else ''} cannot be decoded and {'are' if self.lost > 1 else 'is'} left out.")
        steps = np.diff(self.pts[self.order]) if len(self.order) > 2 and not self.by_decoding else np.ones(1)
        if steps.min() <= 0 or steps.max() > 1.6 * steps.min():  # less is a container's rounding
            found.append("Frames come at an uneven rate; they are numbered one by one, as they come.")
        return found

    @cached_property
    def matters(self) -> Any:
        """(packets,) True unless a packet can never be decoded: leading pictures of a group whose forerunner was cut away."""
        found = self.discard.copy()
        found[self.order] = True
        return found

    @cached_property
    def _numbers(self) -> dict[Any, int]:
        """Packets by what identifies them after a seek; empty when nothing does."""
        for rows in ([int(v) for v in self.pos], list(zip(self.pts.tolist(), self.dts.tolist(), self.size.tolist(), strict=True))):
            found: dict[Any, int] = {mark: number for number, mark in enumerate(rows)}
            if len(found) == len(rows) and -1 not in found:
                return found
        return {}

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
        return self._numbers.get((_time(packet.pts), _time(packet.dts), packet.size))

    def starts_for(self, packet: int) -> list[int]:
        """Packets from which decoding reaches this one, the nearest first; the last is the file's start, 0.

        A group of pictures may be open: frames shown before its key frame lean on the group before. So the key frame must be shown no
        later than the frame wanted.
        """
        if self.counted:
            return [0]
        keys = np.flatnonzero(self.key[: packet + 1])
        safe = keys[self.when[keys] <= self.when[packet]][::-1][:2].tolist()
        return [int(start) for start in safe if start] + [0]

    def time_of(self, packet: int) -> int:
        """A time to seek to that is not after the packet."""
        known = [int(v) for v in (self.pts[packet], self.dts[packet]) if v != _NO_TIME]
        return min(known) if known else 0


_kept: OrderedDict[str, Index] = OrderedDict()
_lock = threading.Lock()


def index_of(path: Path) -> Index:
    """The index of a movie's first video stream, made or found; raises UnreadableFile."""
    name = content_mark(path)
    with _lock:
        if name in _kept:
            _kept.move_to_end(name)
            return _kept[name]
    place = _folder() / f"{name}.npz"
    index = _read(place)
    if index is None:
        began = time.monotonic()
        index = _made(path)
        if time.monotonic() - began > KEPT_FROM:
            _write(place, index)
    with _lock:
        _kept[name] = index
        while len(_kept) > KEPT:
            _kept.popitem(last=False)
    return index


def content_mark(path: Path) -> str:
    """A mark of a file's content: its size, time of change, both ends and sixteen places between."""
    stat = path.stat()
    digest = hashlib.blake2b(f"{VERSION} {stat.st_size} {stat.st_mtime_ns}".encode(), digest_size=16)
    with path.open("rb") as stream:
        for place in (0, *(stat.st_size * i // 17 for i in range(1, 17)), max(0, stat.st_size - 2**18)):
            stream.seek(place)
            digest.update(stream.read(2**18 if place in (0, stat.st_size - 2**18) else 2**14))
    return digest.hexdigest()


def _folder() -> Path:
    return Path(os.environ.get("UPWELLING_INDEX_CACHE") or Path.home() / ".cache" / "upwelling" / "indexes")


def _read(place: Path) -> Index | None:
    try:
        with np.load(place, allow_pickle=False) as found:
            flags: dict[str, Any] = {"counted": bool(found["counted"]), "by_decoding": bool(found["by_decoding"]), "lost": int(found["lost"]), "missing": int(found["missing"]),
                     "summed": bool(found["summed"])}
            return Index(**{f.name: flags[f.name] if f.name in flags else found[f.name] for f in fields(Index)})
    except (OSError, ValueError, KeyError, EOFError):
        return None  # not there, or not whole: it is made again


def _write(place: Path, index: Index) -> None:
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        with whole_file(place) as temporary, temporary.open("wb") as stream:
            np.savez(stream, **{f.name: getattr(index, f.name) for f in fields(Index)})
        files = sorted(place.parent.glob("*.npz"), key=lambda one: one.stat().st_mtime)
        for old in files[:-MOST_FILES]:
            old.unlink(missing_ok=True)
    except OSError:
        pass  # a folder that cannot be written costs time, nothing else


def _time(value: int | None) -> int:
    return _NO_TIME if value is None else int(value)


def opened(path: Path) -> Any:
    """The container of a movie, as every reader here opens it."""
    return av.open(str(path), metadata_errors="replace")


def prepared(stream: Any, threads: str = "SLICE") -> Any:
    """A stream whose decoder owns up to damage, and on one thread says which packet each frame is from.

    What travels with a packet is freed by whichever thread drops it, and needs Python's lock for it: frame threads would wait for each other.
    """
    context = stream.codec_context
    context.copy_opaque = threads == "SLICE"
    # H.264 and the MPEGs flag what they conceal, and stop at mere bookkeeping when told to stop; the others stop or say nothing.
    stops = "" if context.name in _CONCEALING else "+explode"
    context.options = {"err_detect": f"crccheck+bitstream+buffer{stops}"}
    stream.thread_type = threads
    return stream


def _made(path: Path) -> Index:
    rows, summed, announced = _packets(path)
    if not rows:
        raise UnreadableFile(path, "no frame of it could be found. Copy it again from the source.")
    pts, dts, pos, size, key, discard = (np.array(column) for column in zip(*rows, strict=True))
    bare = Index(pts, dts, pos, size, key, discard, np.arange(0), missing=max(0, announced - len(rows)), summed=summed)
    shown = np.flatnonzero(~bare.discard)
    times = bare.pts[shown]
    first_key = int(np.argmax(bare.key)) if bare.key.any() else 0
    # Frames shown before the first key frame lean on what is not there; some writers give them no time at all.
    leading = (np.arange(len(bare.pts)) > first_key) & (bare.pts < bare.pts[first_key])
    timed = times[times != _NO_TIME]
    untimed_leads = bool(leading[shown][times == _NO_TIME].all())
    if not untimed_leads or len(np.unique(timed)) < len(timed):
        return _by_decoding(path, bare)
    order = shown[np.argsort(times, kind="stable")]
    emerged = _emerging(path, bare, 0, HEAD_FRAMES if not bare.key.all() else HEAD_FRAMES // 8)
    order = order[~leading[order] | np.isin(order, emerged)]
    place = {int(packet): i for i, packet in enumerate(order)}
    seen = [place.get(packet, -1) for packet in emerged]
    if not emerged or seen != sorted(seen) or seen[0] < 0:
        return _by_decoding(path, bare)
    ends = int(np.flatnonzero(bare.key)[-1]) if bare.key.any() else 0
    lost = 0
    if 0 < len(bare.pts) - ends <= LONGEST_GROUP:
        last = set(_emerging(path, replace(bare, order=order), ends, None, "AUTO"))
        while last and len(order) > 1 and int(order[-1]) >= ends and int(order[-1]) not in last:
            order, lost = order[:-1], lost + 1
    return replace(bare, order=order, lost=lost)


def _packets(path: Path) -> tuple[list[tuple[Any, ...]], bool, int]:
    """What each packet says, whether the first ones carry right checksums, and how many the file announces (0: it does not)."""
    rows: list[tuple[Any, ...]] = []
    summed, announced = False, 0
    try:
        with opened(path) as container:
            stream = container.streams.video[0]
            announced = stream.frames or _frames_by_length(stream)
            is_ffv1 = stream.codec_context.name == "ffv1"
            for packet in container.demux(stream):
                if packet.size:
                    rows.append((_time(packet.pts), _time(packet.dts), -1 if packet.pos is None else int(packet.pos), packet.size,
                                 packet.is_keyframe, packet.is_discard))
                    summed = summed or (is_ffv1 and len(rows) < 4 and sums_are_right(bytes(packet)))
                if len(rows) > MOST_PACKETS:
                    raise UnreadableFile(path, f"has more than {MOST_PACKETS:,} frames. Cut it into parts.".replace(",", " "))
    except DAMAGE:
        if not rows:
            raise
    return rows, summed, announced


def _frames_by_length(stream: Any) -> int:
    """Frames that a Matroska track's own length promises at an even rate, one less for rounding; 0 where it says none."""
    try:
        hours, minutes, seconds = (float(v) for v in str(stream.metadata.get("DURATION", "")).split(":"))
    except ValueError:
        return 0
    even = stream.average_rate and stream.base_rate == stream.average_rate
    return int((hours * 3600 + minutes * 60 + seconds) * float(stream.average_rate)) - 1 if even else 0


def _emerging(path: Path, index: Index, start: int, most: int | None, threads: str = "SLICE") -> list[int]:
    """The packets of the frames that come out when decoding begins at a packet, in the order they come; broken ones are left out.

    None at all when frames and packets do not agree on their times.
    """
    found: list[int] = []
    for number, packet in numbered(path, index, start, threads):
        try:
            for frame in packet.decode():
                came = index.packet_of(frame)
                if came is None or frame.pts != index.pts[came]:
                    return []
                found += [came] if not frame.is_corrupt else []
        except DAMAGE:
            continue
        if most is not None and (len(found) >= most or number > most + 2 * LONGEST_GROUP):
            break
    return found


def numbered(path: Path, index: Index, start: int, threads: str = "SLICE") -> Iterator[tuple[int, Any]]:
    """Packets from number ``start`` on, ready to be decoded, each with its number; at last the empty one that drains the decoder (−1).

    Where a seek does not lead to a packet that can be told by its marks, the file is read from its start.
    """
    with opened(path) as container:
        stream = prepared(container.streams.video[0], threads)
        if start:
            container.seek(index.time_of(start), stream=stream, backward=True)
        packets = iter(container.demux(stream))
        head = next(packets, None)
        first = 0 if not start else index.number_of(head) if head is not None and head.size else None
        if head is not None and first is not None and first <= start:
            yield from _counted(itertools.chain([head], packets), first, start)
            return
    if start:
        with opened(path) as container:
            stream = prepared(container.streams.video[0], threads)
            yield from _counted(container.demux(stream), 0, start)


def _counted(packets: Iterable[Any], first: int, start: int) -> Iterator[tuple[int, Any]]:
    for number, packet in enumerate(packets, first):
        if not packet.size:
            yield -1, packet
            return
        if number >= start:
            if packet.stream.codec_context.copy_opaque:
                packet.opaque = number
            yield number, packet


def _by_decoding(path: Path, bare: Index) -> Index:
    """Packets' times do not give the order of frames: the decoder does."""
    emerged: list[Any] = []
    for _, packet in numbered(path, bare, 0):
        try:
            emerged += [frame.opaque for frame in packet.decode()]
        except DAMAGE:
            continue
    if not emerged:
        raise UnreadableFile(path, "no frame of it can be decoded. Copy it again from the source.")
    counted = None in emerged or len(set(emerged)) < len(emerged)
    return replace(bare, order=np.arange(len(emerged)) if counted else np.array(emerged), counted=counted, by_decoding=True)
