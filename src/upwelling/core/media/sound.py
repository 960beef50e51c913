"""Sound that goes along with a picture: copied packet by packet where the container takes it as it is, else encoded
anew by the library's own encoder, and said.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path as FilePath
from typing import Any

import av
import numpy as np

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


ENCODED = {"mov": "aac", "mp4": "aac", "matroska": "aac", "mxf": "pcm_s24le"}
"""What sound is encoded as, by the container, where it cannot be copied."""
AAC_RATES = (8000, 11025, 12000, 16000, 22050, 24000, 32000, 44100, 48000, 64000, 88200, 96000)
KBPS_A_CHANNEL = 96


@dataclass(frozen=True)
class Sound:
    """All sound tracks of a movie, from ``start`` on for ``length`` seconds; None: as long as they are.

    ``kbps`` is the bit rate of a channel where sound is encoded; 0: as usual.
    """

    path: FilePath
    start: Fraction = Fraction(0)
    length: Fraction | None = None
    kbps: int = 0

    def refusal(self, kind: str) -> str:
        """Why a container of that kind cannot take them as they are; empty where it can, or where there are none."""
        for codec in sound_of(self.path):
            if not any(codec == held or (held == "pcm_" and codec.startswith(held)) for held in _HELD[kind]):
                return f"{codec} does not go into this container as it is"
            if self.length is not None and not codec.startswith("pcm_"):
                return f"{codec} cannot be cut to a range as it is"
        return ""

    def how(self, kind: str) -> str:
        """What becomes of it in a container of that kind, in a sentence."""
        why = self.refusal(kind)
        if not why:
            return "Sound is copied untouched."
        codec = ENCODED[kind]
        rate = f" at {self.kbps or KBPS_A_CHANNEL} kbit/s a channel" if codec == "aac" else ""
        return f"Sound is encoded as {codec}{rate}: {why}."

    def into(self, target: Any, kind: str) -> SoundCopy | SoundEncoded | None:
        """Adds the tracks to a container that is being written; None where the file has none."""
        if self.refusal(kind):
            return encoded_into(self, target, kind)
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

    def end(self, seconds: Fraction) -> None:
        """Hands over the last of it, up to the picture's end."""
        self.until(seconds)

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


class SoundEncoded:
    """Sound on its way into a file through an encoder, handed over as far as the picture has come."""

    def __init__(self, sound: Sound, source: Any, made: dict[int, Any], target: Any) -> None:
        self._sound, self._source, self._made, self._target = sound, source, made, target
        self._frames = self._decoded()
        self._shapers = {
            index: av.AudioResampler("fltp" if stream.codec_context.name == "aac" else "s32",
            stream.codec_context.layout,
                                     stream.codec_context.sample_rate)
            for index, stream in made.items()
        }  # fmt: skip
        self._ended = False

    def until(self, seconds: Fraction) -> None:
        """Hands over at least what is heard before that time of the written file."""
        while not self._ended:
            index, frame = next(self._frames, (0, None))
            if frame is None:
                self._finish()
                return
            at = self._at(frame)
            for piece in self._shapers[index].resample(frame):
                self._put(index, piece, at)
                at += Fraction(piece.samples, piece.sample_rate)
            if at >= seconds:
                return

    def end(self, seconds: Fraction) -> None:
        """Hands over the last of it, up to the picture's end, and what the encoder still holds."""
        self.until(seconds)
        if not self._ended:
            self._finish()

    def _decoded(self) -> Iterator[tuple[int, Any]]:
        """Frames of all tracks as the file has them, with their track."""
        for packet in self._source.demux(*(self._source.streams[index] for index in self._made)):
            for frame in packet.decode():
                yield packet.stream.index, frame

    def _at(self, frame: Any) -> Fraction:
        return Fraction(frame.pts) * Fraction(frame.time_base) - self._sound.start

    def _put(self, index: int, piece: Any, at: Fraction) -> None:
        """The part of decoded sound that lies within the range, at its time in the written file."""
        rate = piece.sample_rate
        begins = round(at * rate)
        end = begins + piece.samples
        last = end if self._sound.length is None else min(end, round(self._sound.length * rate))
        low = max(-begins, 0)
        if begins + low >= last:
            return
        values = piece.to_ndarray()
        each = 1 if piece.format.is_planar else len(piece.layout.channels)
        cut = np.ascontiguousarray(values[:, low * each : (last - begins) * each])
        held = av.AudioFrame.from_ndarray(cut, format=piece.format.name, layout=piece.layout.name)
        held.sample_rate, held.pts, held.time_base = rate, begins + low, Fraction(1, rate)
        self._target.mux(self._made[index].encode(held))

    def _finish(self) -> None:
        self._ended = True
        for stream in self._made.values():
            self._target.mux(stream.encode(None))
        self._source.close()


def encoded_into(sound: Sound, target: Any, kind: str) -> SoundEncoded | None:
    """Adds encoded tracks to a container that is being written; None where the file has none."""
    source = av.open(str(sound.path))
    made = {}
    for track in source.streams.audio:
        rate = track.codec_context.sample_rate
        if ENCODED[kind] == "aac" and rate not in AAC_RATES:
            rate = 48000
        stream = target.add_stream(ENCODED[kind], rate=rate)
        stream.codec_context.layout = track.codec_context.layout
        if ENCODED[kind] == "aac":
            stream.bit_rate = 1000 * (sound.kbps or KBPS_A_CHANNEL) * len(track.codec_context.layout.channels)
        made[track.index] = stream
    if not made:
        source.close()
        return None
    return SoundEncoded(sound, source, made, target)
