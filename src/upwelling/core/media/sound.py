"""Sound passed through untouched: copied packet by packet, or not at all, with a sentence that says why."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path as FilePath
from typing import Any

import av

from upwelling.core.errors import UnwritableFile
from upwelling.core.media.movie_packets import DAMAGE, opened

_HELD = {
    "mov": ("aac", "ac3", "eac3", "alac", "mp3", "pcm_"),
    "mp4": ("aac", "ac3", "eac3", "alac", "mp3"),
    "matroska": ("aac", "ac3", "eac3", "flac", "mp3", "opus", "vorbis", "pcm_s16le", "pcm_s24le", "pcm_f32le"),
    "mxf": ("pcm_s16le", "pcm_s24le"),
}
"""Codecs that each container takes; “pcm_” stands for all uncompressed ones."""


def sound_of(path: FilePath) -> list[str]:
    """The codec of each sound track of a file; none for what is no movie."""
    try:
        with opened(path) as container:
            return [str(stream.codec_context.codec.canonical_name) for stream in container.streams.audio]
    except DAMAGE:
        return []


@dataclass(frozen=True)
class Sound:
    """All sound tracks of a movie, from ``start`` on for ``length`` seconds; None: as long as they are."""

    path: FilePath
    start: Fraction = Fraction(0)
    length: Fraction | None = None

    def refusal(self, kind: str) -> str:
        """Why a container of that kind cannot take them as they are; empty where it can, or where there are none."""
        for codec in sound_of(self.path):
            if not any(codec == held or (held == "pcm_" and codec.startswith(held)) for held in _HELD[kind]):
                return f"Sound is left out: {codec} does not go into this container untouched."
            if self.length is not None and not codec.startswith("pcm_"):
                return f"Sound is left out: {codec} cannot be cut to a range without encoding it anew."
        return ""

    def into(self, target: Any) -> SoundCopy | None:
        """Adds the tracks to a container that is being written; None where the file has none."""
        source = av.open(str(self.path))
        tracks = list(source.streams.audio)
        if not tracks:
            source.close()
            return None
        copies = {track.index: target.add_stream_from_template(track) for track in tracks}
        return SoundCopy(self, source, tracks, copies, target)


class SoundCopy:
    """Sound on its way into a file, handed over as far as the picture has come."""

    def __init__(self, sound: Sound, source: Any, tracks: list[Any], copies: dict[int, Any], target: Any) -> None:
        self._sound, self._source, self._copies, self._target = sound, source, copies, target
        self._packets = source.demux(*tracks)
        self._next: Any = None
        self._ended = False

    def until(self, seconds: Fraction) -> None:
        """Hands over what is heard before that time of the written file."""
        while not self._ended:
            packet = self._next or self._take()
            if packet is None:
                return
            self._next = packet
            if packet.pts * packet.time_base - self._sound.start >= seconds:
                return
            self._next = None
            self._put(packet)

    def _take(self) -> Any:
        for packet in self._packets:
            if packet.size and packet.pts is not None:
                return packet
        self._ended = True
        self._source.close()
        return None

    def _put(self, packet: Any) -> None:
        copy = self._copies[packet.stream_index if hasattr(packet, "stream_index") else packet.stream.index]
        if self._sound.length is not None or self._sound.start:
            packet = self._cut(packet)
            if packet is None:
                return
        packet.stream = copy
        self._target.mux(packet)

    def _cut(self, packet: Any) -> Any:
        """The part of an uncompressed packet that lies within the range, at its time in the written file."""
        stream = packet.stream
        rate = Fraction(stream.codec_context.sample_rate)
        begins = round(packet.pts * packet.time_base * rate)
        samples = round((packet.duration or 0) * packet.time_base * rate)
        if samples < 1 or packet.size % samples:
            raise UnwritableFile(self._sound.path, "its sound is not kept sample by sample, and cannot be cut.")
        first = round(self._sound.start * rate)
        last = first + round(self._sound.length * rate) if self._sound.length is not None else begins + samples
        low, high = max(first - begins, 0), min(last - begins, samples)
        if low >= high:
            return None
        each = packet.size // samples
        cut = av.Packet(bytes(packet)[low * each : high * each])
        cut.time_base = 1 / rate
        cut.pts = cut.dts = begins + low - first
        cut.duration = high - low
        cut.is_keyframe = True
        return cut
