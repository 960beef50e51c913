"""Movies through PyAV: the codec's own planes, decoded to R'G'B' here, and every frame the one its number says."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from functools import cached_property
from pathlib import Path as FilePath
from typing import Any

import numpy as np

from upwelling.core.blocks import grid_mean
from upwelling.core.errors import UnreadableFile
from upwelling.core.media.base import LARGEST_FRAME, Depth, Still, check_size
from upwelling.core.media.fields import SAID, FirstField, first_field
from upwelling.core.media.footage import FileFacts, Reading
from upwelling.core.media.movie_decode import Damaged, frames_at, reason
from upwelling.core.media.movie_index import Index
from upwelling.core.media.movie_kept import index_of
from upwelling.core.media.movie_packets import DAMAGE, opened
from upwelling.core.media.movie_planes import code_of, plain, plane_of
from upwelling.core.media.parameter_sets import chroma_place, matroska_place
from upwelling.core.media.tags import ColourTags, contradictions
from upwelling.core.media.ycbcr import READ

SUFFIXES = (".mov", ".mp4", ".m4v", ".mkv", ".mxf", ".avi")
_BROKEN: tuple[type[Exception], ...] = (*DAMAGE, LookupError)
_UNOPENED: tuple[type[Exception], ...] = (*_BROKEN, OverflowError, ZeroDivisionError, AttributeError)
_NAMES = {"mov,mp4,m4a,3gp,3g2,mj2": "MOV/MP4", "matroska,webm": "MKV", "mxf": "MXF"}


def looks_like_movie(head: bytes) -> bool:
    """True for the openings of MOV and MP4, Matroska, MXF and AVI files (at least 16 bytes)."""
    return (
        head[4:8] in (b"ftyp", b"moov", b"mdat", b"wide", b"free", b"skip")
        or head[:4] == b"\x1a\x45\xdf\xa3"
        or head[:4] == b"\x06\x0e\x2b\x34"
        or (head[:4] == b"RIFF" and head[8:12] == b"AVI ")
    )


class Movie:
    """One video stream of a file; the file is opened anew for every request and never kept open."""

    def __init__(self, path: str | os.PathLike[str]) -> None:
        self.path = FilePath(path)

    @cached_property
    def facts(self) -> FileFacts:
        """What the file says, and how many frames it really has; raises UnreadableFile."""
        try:
            with opened(self.path) as container:
                if not container.streams.video:
                    raise UnreadableFile(self.path, "holds no picture, only sound or data.")
                stream = container.streams.video[0]
                check_size(self.path, stream.codec_context.width, stream.codec_context.height, LARGEST_FRAME)
                outer = _tags(stream.codec_context)
                first, packet = _first_frame(container, stream)
                if first is None:
                    raise UnreadableFile(self.path, "no frame of it can be decoded. Copy it again from the source.")
                return self._facts(container, stream, first, outer, packet)
        except UnreadableFile:
            raise
        except _UNOPENED as error:
            raise UnreadableFile(
                self.path,
                f"cannot be opened as a movie ({reason(error)}). Copy it again from the source, or "
                "hand in ProRes, H.264, H.265, DNxHR or FFV1.",
            ) from None

    @cached_property
    def index(self) -> Index:
        """Which packet each frame comes from."""
        try:
            return index_of(self.path)
        except UnreadableFile:
            raise
        except _BROKEN as error:
            raise UnreadableFile(
                self.path, f"its frames cannot be counted ({reason(error)}). Copy it again from the source."
            ) from None

    def _facts(self, container: Any, stream: Any, first: Any, outer: ColourTags, packet: bytes) -> FileFacts:
        layout = first.format
        bits = max(c.bits for c in layout.components)
        depth: Depth = "8" if bits <= 8 else "10" if bits <= 10 else "12" if bits <= 12 else "16"
        notes: list[str] = []
        tags = _settled(outer, _tags(first), notes)
        notes += contradictions(tags)
        ycbcr = not layout.is_rgb and len([c for c in layout.components if not c.is_alpha]) >= 3
        metadata = {str(k): str(v)[:300] for source in (container.metadata, stream.metadata) for k, v in source.items()}
        # Matroska writes the names of its tags in capitals.
        metadata |= {key.lower(): text for key, text in metadata.items() if key in ("TIMECODE", "REEL_NAME")}
        # A timecode has a track of its own, of which only this is said of the picture.
        labels = [data.metadata["timecode"] for data in container.streams.data if "timecode" in data.metadata]
        metadata |= {"timecode": labels[0][:300]} if labels else {}
        reels = [data.metadata["reel_name"] for data in container.streams.data if "reel_name" in data.metadata]
        metadata |= {"reel_name": reels[0][:120]} if reels else {}
        duration = float(container.duration / 1_000_000) if container.duration else 0.0
        bits_per_second = int(stream.codec_context.bit_rate or 0) or int(container.bit_rate or 0)
        if not bits_per_second and duration:
            bits_per_second = int(self.path.stat().st_size * 8 / duration)
        chroma = next((c for c in layout.components if ycbcr and not c.is_luma and not c.is_alpha), None)
        sub = (
            ""
            if chroma is None
            else {(1, 1): "4:4:4", (2, 1): "4:2:2", (2, 2): "4:2:0"}.get(
                (round(first.width / chroma.width), round(first.height / chroma.height)), ""
            )
        )
        codec = stream.codec_context.codec.canonical_name
        siting = self._siting(codec, bytes(stream.codec_context.extradata or b""), packet) if sub == "4:2:0" else ""
        fields = first_field(first)
        notes += _remarks(stream, first, ycbcr, tags, sub, codec, siting, fields)
        notes += self.index.remarks
        return FileFacts(
            "movie",
            _NAMES.get(container.format.name, container.format.name),
            codec,
            depth,
            first.width,
            first.height,
            len(self.index.order),
            float(stream.average_rate or 0),
            ycbcr,
            sub,
            siting,
            bits_per_second,
            tags,
            metadata,
            tuple(notes),
            str(stream.sample_aspect_ratio) if (stream.sample_aspect_ratio or 1) != 1 else "",
            bool(first.interlaced_frame),
            round(first.rotation / 90) * 90 % 360,
            fields,
        )

    def _siting(self, codec: str, header: bytes, packet: bytes) -> str:
        """Where the file says that chroma sits; empty where it does not, or where nobody can tell."""
        said = chroma_place(codec, header) or chroma_place(codec, packet)
        if said is None:
            with self.path.open("rb") as stream:
                head = stream.read(2**16)
            said = matroska_place(head) if head[:4] == b"\x1a\x45\xdf\xa3" else None
        return said or ""

    @cached_property
    def times(self) -> Any:
        """(frames,) Seconds from the first frame at which each is shown, as the file says."""
        with opened(self.path) as container:
            unit = float(container.streams.video[0].time_base)
        ticks = self.index.pts[self.index.order].astype(np.float64)
        return (ticks - ticks[0]) * unit

    def frame(self, index: int = 0, reading: Reading | None = None) -> Still:
        """One frame by number; how the planes are read is ``reading``, or what the tags say (untagged: legal range)."""
        return self.several([index], reading)[0]

    def several(self, numbers: Sequence[int], reading: Reading | None = None) -> list[Still]:
        """Frames by rising number, with the file opened once; what lies between near ones is decoded, far ones are
        sought.

        Raises Damaged for a frame that is broken, or leans on what is.
        """
        return list(self.through(numbers, reading))

    def through(self, numbers: Sequence[int], reading: Reading | None = None) -> Iterator[Still]:
        """As ``several``, each when it is asked for, with nothing kept."""
        facts = self.facts
        for index in numbers:
            if not 0 <= index < facts.frames:
                raise UnreadableFile(self.path, f"has frames 0 to {facts.frames - 1}; frame {index} was asked for.")
        count = 0
        try:
            for frame in frames_at(self.path, self.index, numbers):
                code = code_of(self.path, frame, facts, reading or self.default_reading)
                yield Still(code, facts.container, facts.depth, dict(facts.metadata), facts.notes)
                count += 1
        except _BROKEN as error:
            raise Damaged(
                self.path, f"frame {numbers[count]} cannot be decoded ({reason(error)}). The file is damaged there."
            ) from None

    def luma_frames(self, rows: int = 36, columns: int = 64) -> Iterator[Any]:
        """Every frame in order as a small picture (rows, columns) of luma or green, 0…1 of the code scale, decoded in
        one go.

        A damaged frame is the one before it again.
        """
        small = np.zeros((rows, columns), np.float32)
        number, count = 0, self.facts.frames
        while number < count:
            try:
                for frame in frames_at(self.path, self.index, range(number, count)):
                    small = _small(self.path, plain(frame), rows, columns)
                    number += 1
                    yield small
            except Damaged:
                number += 1
                yield small
            except _BROKEN as error:
                raise UnreadableFile(
                    self.path, f"cannot be decoded to its end ({reason(error)}). The file is damaged."
                ) from None

    @property
    def default_reading(self) -> Reading:
        """What the tags say; a Y'CbCr file that says nothing is legal, any other full."""
        tags = self.facts.tags
        untagged = "legal" if self.facts.ycbcr else "full"
        return Reading(tags.range or untagged, tags.matrix if tags.matrix in READ else "")  # type: ignore[arg-type]


def _first_frame(container: Any, stream: Any) -> tuple[Any, bytes]:
    """The first frame that can be decoded, and the first packet, whose headers some files keep nowhere else."""
    head = b""
    for packet in container.demux(stream):
        head = head or bytes(packet)[:4096] if packet.size else head
        try:
            for frame in packet.decode():
                return frame, head
        except DAMAGE:
            continue
    return None, head


def _remarks(
    stream: Any, first: Any, ycbcr: bool, tags: ColourTags, sub: str, codec: str, siting: str, fields: FirstField
) -> list[str]:
    """What a person should know of how the file is read."""
    found = []
    if any(c.is_alpha for c in first.format.components):
        found.append("The alpha channel is left out.")
    if first.interlaced_frame:
        order = SAID[fields] if fields else "and it does not tell which field is first"
        own = ", chroma within its own field." if sub == "4:2:0" else "."
        found.append(f"Interlaced, {order}: both fields are kept in one frame, as recorded{own}")
    if first.rotation:
        found.append(
            f"The file asks to be turned by {first.rotation}°; it is worked on as recorded, and turned when it is "
            "delivered."
        )
    ratio = stream.sample_aspect_ratio
    if ratio and ratio != 1:
        found.append(f"Pixels are not square ({ratio}); they are worked on as recorded.")
    if sub == "4:2:0" and not siting and codec not in ("mjpeg", "mpeg1video", "mpeg2video"):
        place = "top left, as BT.2020 has it." if tags.matrix == "BT.2020" else "left, as is usual."
        found.append(f"The file does not say where its 4:2:0 chroma sits: it is read as {place}")
    if not ycbcr and not tags.range and not first.format.is_rgb:
        found.append("A grey movie that does not say its range; it is read as full.")
    return found


def _small(path: FilePath, frame: Any, rows: int, columns: int) -> Any:
    bits = max(c.bits for c in frame.format.components)
    return grid_mean(plane_of(path, frame, 0, bits), rows, columns, np.float32) / (2.0**bits - 1)


def _tags(context: Any) -> ColourTags:
    """The tags a codec context (before decoding: the container's) or a decoded frame carries."""
    layout = getattr(context, "format", None)
    rgb = layout is not None and layout.is_rgb
    numbers = [int(v) if v is not None else 2 for v in (context.color_primaries, context.color_trc, context.colorspace)]
    if numbers[2] == 0 and not rgb:
        numbers[2] = 2
    jpeg = layout is not None and layout.name.startswith("yuvj")
    return ColourTags.of_numbers(numbers[0], numbers[1], numbers[2], 2 if jpeg else int(context.color_range or 0))


def _settled(container: ColourTags, stream: ColourTags, notes: list[str]) -> ColourTags:
    """The container's word first, then the codec's; says where they differ."""
    ours, theirs = container.as_dict(), stream.as_dict()
    for name in sorted(ours.keys() & theirs.keys()):
        if ours[name] != theirs[name]:
            notes.append(
                f"The container says {name} {ours[name]}, the codec's own header {theirs[name]}; the container is "
                "followed."
            )
    return ColourTags(**{**theirs, **ours})
