"""Parts of a movie joined into one: their packets copied as they are, tagged, with timecode and sound."""

from __future__ import annotations

import struct
from collections.abc import Iterator, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path as FilePath
from typing import Any

import av

from upwelling.core.errors import UnwritableFile
from upwelling.core.media.hdr_words import HdrWords
from upwelling.core.media.movie_write import KINDS, encoder_refusing
from upwelling.core.media.sound import Sound


@dataclass(frozen=True)
class Joined:
    """What the whole says beside its pictures. ``timecode`` empty: none is written; ``reel`` goes with it."""

    rate: Fraction
    timecode: str = ""
    reel: str = ""
    metadata: Mapping[str, str] = field(default_factory=dict)
    hdr: HdrWords | None = None
    sound: Sound | None = None


def join_movies(place: FilePath, suffix: str, parts: Sequence[FilePath], said: Joined) -> int:
    """Writes the parts one after the other to ``place`` in the container of ``suffix``; gives how many frames.

    Frames are shown one after the other at the rate, whatever times their parts had. Raises UnwritableFile.
    """
    kind = KINDS[suffix.lower()]
    options = {"fflags": "+bitexact"}  # no random identifiers: the same delivery gives the same file
    if kind in ("mov", "mp4"):
        options["movflags"] = "+write_colr+faststart"
    with ExitStack() as stack:
        template = parts[0]
        if said.hdr is not None and kind in ("mov", "mp4"):
            template = place.parent / f".part-head-{place.name}"
            stack.callback(template.unlink, missing_ok=True)
            _with_boxes(parts[0], template, said.hdr)
        stack.enter_context(encoder_refusing(place))
        with av.open(str(place), "w", format=kind, options=options) as target, av.open(str(template)) as first:
            return _copy(target, first, parts, said, kind)


def _copy(target: Any, first: Any, parts: Sequence[FilePath], said: Joined, kind: str) -> int:
    target.metadata.update(dict(said.metadata))
    stream = target.add_stream_from_template(first.streams.video[0])
    stream.time_base = 1 / said.rate
    stream.codec_context.framerate = said.rate  # what timecode is counted by; a template does not hand it on
    if first.streams.video[0].sample_aspect_ratio:  # nor this, where the codec's own packets do not say it
        stream.codec_context.sample_aspect_ratio = first.streams.video[0].sample_aspect_ratio
    if target.format.name in ("mov", "mp4"):
        own = first.streams.video[0].codec_context
        # A template does not hand on which member of a codec's family it is: ProRes 422 and 4444 differ by it.
        stream.codec_context.codec_tag = {"hevc": "hvc1", "h264": "avc1"}.get(own.name, own.codec_tag)
    if said.timecode:
        stream.metadata["timecode"] = said.timecode
        target.metadata["timecode"] = said.timecode
        if said.reel:
            stream.metadata["reel_name"] = said.reel
    sound = said.sound.into(target, kind) if said.sound else None
    count = 0
    for time, packet in _pictures(parts, said.rate, said.hdr):
        if sound is not None:
            sound.until(time / said.rate)
        packet.stream = stream
        packet.time_base = 1 / said.rate
        target.mux(packet)
        count += 1
    if sound is not None:
        sound.end(count / said.rate)
    return count


def _pictures(parts: Sequence[FilePath], rate: Fraction, hdr: HdrWords | None) -> Iterator[tuple[int, Any]]:
    """Packets in the order they are decoded, with times in frames of the whole."""
    opened = [_times(part, rate) for part in parts]
    delay = max(at - shown for times in opened for at, shown in enumerate(times))
    before = 0
    for part, times in zip(parts, opened, strict=True):
        with av.open(str(part)) as source:
            packets = (p for p in source.demux(source.streams.video[0]) if p.size)
            for at, packet in enumerate(packets):
                whole = packet
                if hdr is not None and packet.is_keyframe:
                    whole = av.Packet(hdr.in_picture(bytes(packet)))
                    whole.is_keyframe = True
                whole.pts, whole.dts = before + times[at], before + at - delay
                whole.duration = 1
                yield before + at, whole
        before += len(times)


def _times(part: FilePath, rate: Fraction) -> list[int]:
    """When each picture of a part is shown, in frames from its first, in the order they are decoded."""
    with av.open(str(part)) as source:
        stamps = [p.pts * p.time_base for p in source.demux(source.streams.video[0]) if p.size]
    first = min(stamps)
    return [round((stamp - first) * rate) for stamp in stamps]


def _with_boxes(part: FilePath, place: FilePath, hdr: HdrWords) -> None:
    """A copy of a part that says of HDR in its container, from where the whole takes it; its “moov” box is last."""
    data = part.read_bytes()
    at = 0
    while at + 8 <= len(data):
        size, name = struct.unpack_from(">I4s", data, at)
        if size == 1:
            (size,) = struct.unpack_from(">Q", data, at + 8)
        if name == b"moov":
            place.write_bytes(data[:at] + hdr.in_container(data[at : at + size]) + data[at + size :])
            return
        at += max(size, 8)
    raise UnwritableFile(part, "holds no header; a part of the delivery is damaged. Deliver it again.")
