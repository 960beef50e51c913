"""How a movie's index is found: by its packets' times where the decoder bears them out,
else by decoding the file once.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path as FilePath
from typing import Any

import numpy as np

from upwelling.core.errors import UnreadableFile
from upwelling.core.media.ffv1 import sums_are_right
from upwelling.core.media.movie_index import NO_TIME, Index, time_of
from upwelling.core.media.movie_packets import DAMAGE, numbered, opened

MOST_PACKETS = 2_000_000
HEAD_FRAMES = 24
"""Frames decoded from the start to see that packets and frames agree."""
LONGEST_GROUP = 400
"""Packets after the last random access point that are still decoded to see where the file ends."""


def made(path: FilePath) -> Index:
    """The index of a movie's first video stream; raises UnreadableFile."""
    rows, summed, announced, by_length = _packets(path)
    if not rows:
        raise UnreadableFile(path, "no frame of it could be found. Copy it again from the source.")
    pts, dts, pos, size, key, discard = (np.array(column) for column in zip(*rows, strict=True))
    bare = Index(pts, dts, pos, size, key, discard, np.arange(0), missing=max(0, announced - len(rows)), summed=summed)
    shown = np.flatnonzero(~bare.discard)
    times = bare.pts[shown]
    first_key = int(np.argmax(bare.key)) if bare.key.any() else 0
    # Frames shown before the first key frame lean on what is not there; some writers give them no time at all.
    leading = (np.arange(len(bare.pts)) > first_key) & (bare.pts < bare.pts[first_key])
    timed = times[times != NO_TIME]
    untimed_leads = bool(leading[shown][times == NO_TIME].all())
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
    found = replace(bare, order=order, lost=lost)
    # A length promises frames at an even rate alone.
    return replace(found, missing=0) if by_length and found.uneven else found


def _packets(path: FilePath) -> tuple[list[tuple[Any, ...]], bool, int, bool]:
    """What each packet says, whether the first ones carry right checksums, and how many the file announces (0: it does
    not).
    """
    rows: list[tuple[Any, ...]] = []
    summed, announced, by_length = False, 0, False
    try:
        with opened(path) as container:
            stream = container.streams.video[0]
            by_length = not stream.frames
            announced = stream.frames or _frames_by_length(stream)
            is_ffv1 = stream.codec_context.name == "ffv1"
            for packet in container.demux(stream):
                if packet.size:
                    rows.append(
                        (
                            time_of(packet.pts),
                            time_of(packet.dts),
                            -1 if packet.pos is None else int(packet.pos),
                            packet.size,
                            packet.is_keyframe,
                            packet.is_discard,
                        )
                    )
                    summed = summed or (is_ffv1 and len(rows) < 4 and sums_are_right(bytes(packet)))
                if len(rows) > MOST_PACKETS:
                    raise UnreadableFile(
                        path, f"has more than {MOST_PACKETS:,} frames. Cut it into parts.".replace(",", " ")
                    )
    except DAMAGE:
        if not rows:
            raise
    return rows, summed, announced, by_length


def _frames_by_length(stream: Any) -> int:
    """Frames that a Matroska track's own length promises at an even rate, one less for rounding.

    0 where it says none.
    """
    try:
        hours, minutes, seconds = (float(v) for v in str(stream.metadata.get("DURATION", "")).split(":"))
    except ValueError:
        return 0
    even = stream.average_rate and stream.base_rate == stream.average_rate
    return int((hours * 3600 + minutes * 60 + seconds) * float(stream.average_rate)) - 1 if even else 0


def _emerging(path: FilePath, index: Index, start: int, most: int | None, threads: str = "SLICE") -> list[int]:
    """The packets of the frames that come out when decoding begins at a packet, in the order they come; broken ones are
    left out.

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


def _by_decoding(path: FilePath, bare: Index) -> Index:
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
    return replace(
        bare, order=np.arange(len(emerged)) if counted else np.array(emerged), counted=counted, by_decoding=True
    )
