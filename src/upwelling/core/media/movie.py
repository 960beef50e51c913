"""Movies through PyAV: the codec's own planes, decoded to R'G'B' here."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

import av
import numpy as np

from upwelling.core.errors import UnreadableFile
from upwelling.core.media.base import Depth, Still, check_size
from upwelling.core.media.footage import FileFacts, Reading
from upwelling.core.media.tags import ColourTags
from upwelling.core.media.ycbcr import LUMA, Planes, Siting, to_rgb_code

SUFFIXES = (".mov", ".mp4", ".m4v", ".mkv", ".mxf", ".avi")
MOST_FRAMES = 2_000_000
NEAR = 48
"""Frames ahead that are decoded rather than sought, in codecs whose frames lean on others."""
_INTRA = ("prores", "dnxhd", "ffv1", "mjpeg", "v210", "rawvideo")
_REPACK = {"nv12": "yuv420p", "nv16": "yuv422p", "p010le": "yuv420p10le", "p210le": "yuv422p10le", "yuyv422": "yuv422p",
           "uyvy422": "yuv422p", "v210": "yuv422p10le", "bgr24": "rgb24", "bgra": "rgb24", "rgba": "rgb24", "bgr0": "rgb24",
           "rgb0": "rgb24", "argb": "rgb24", "0rgb": "rgb24"}
"""Packed layouts and the planar or plain one with the same numbers; repacking moves samples and computes nothing."""


def looks_like_movie(head: bytes) -> bool:
    """True for the openings of MOV and MP4, Matroska, MXF and AVI files (at least 16 bytes)."""
    return (head[4:8] in (b"ftyp", b"moov", b"mdat", b"wide", b"free", b"skip") or head[:4] == b"\x1a\x45\xdf\xa3"
            or head[:4] == b"\x06\x0e\x2b\x34" or (head[:4] == b"RIFF" and head[8:12] == b"AVI "))


@dataclass(frozen=True)
class _Opened:
    facts: FileFacts
    pts: tuple[int, ...] | None
    start: int
    step: float


class Movie:
    """One video stream of a file; the file is opened anew for every frame and never kept open."""

    def __init__(self, path: str | os.PathLike[str]) -> None:
        self.path = Path(path)

    @property
    def facts(self) -> FileFacts:
        return self._opened.facts

    @cached_property
    def _opened(self) -> _Opened:
        try:
            with av.open(str(self.path), metadata_errors="replace") as container:
                if not container.streams.video:
                    raise UnreadableFile(self.path, "holds no picture, only sound or data.")
                stream = container.streams.video[0]
                check_size(self.path, stream.codec_context.width, stream.codec_context.height)
                outer = _tags(stream.codec_context)
                first = next(iter(container.decode(stream)), None)
                if first is None:
                    raise UnreadableFile(self.path, "no frame of it can be decoded. Copy it again from the source.")
                facts = self._facts(container, stream, first, outer)
                steady = stream.average_rate and stream.average_rate == stream.base_rate and stream.frames
                pts = None if steady else _all_pts(container, stream)
                start = first.pts if first.pts is not None else 0
                rate = stream.average_rate or stream.base_rate or 25
                step = float(1 / rate / stream.time_base) if stream.time_base else 1.0
                frames = len(pts) if pts else stream.frames
                if not frames:
                    raise UnreadableFile(self.path, "does not say how many frames it has, and none could be counted.")
                facts = FileFacts(**{**facts.__dict__, "frames": int(frames)})
                return _Opened(facts, pts, start, step)
        except UnreadableFile:
            raise
        except (av.error.FFmpegError, ValueError, OSError, EOFError, MemoryError, OverflowError, ZeroDivisionError, AttributeError) as error:
            raise UnreadableFile(self.path, f"cannot be opened as a movie ({_reason(error)}). Copy it again from the source, or "
                                            "hand in ProRes, H.264, H.265, DNxHR or FFV1.") from None

    def _facts(self, container: Any, stream: Any, first: Any, outer: ColourTags) -> FileFacts:
        layout = first.format
        bits = max(c.bits for c in layout.components)
        depth: Depth = "8" if bits <= 8 else "10" if bits <= 10 else "12" if bits <= 12 else "16"
        notes: list[str] = []
        tags = _settled(outer, _tags(first), notes)
        if any(c.is_alpha for c in layout.components):
            notes.append("The alpha channel is left out.")
        if first.interlaced_frame:
            notes.append("Interlaced: both fields are kept in one frame, as recorded.")
        if first.rotation:
            notes.append(f"The file asks to be turned by {first.rotation}°; it is worked on as recorded.")
        ratio = stream.sample_aspect_ratio
        if ratio and ratio != 1:
            notes.append(f"Pixels are not square ({ratio}); they are worked on as recorded.")
        ycbcr = not layout.is_rgb and len(layout.components) >= 3
        metadata = {str(k): str(v)[:300] for source in (container.metadata, stream.metadata) for k, v in source.items()}
        duration = float(container.duration / av.time_base) if container.duration else 0.0
        rate = float(stream.average_rate or 0)
        bits_per_second = int(stream.codec_context.bit_rate or 0) or int(container.bit_rate or 0)
        if not bits_per_second and duration:
            bits_per_second = int(self.path.stat().st_size * 8 / duration)
        chroma = next((c for c in layout.components if ycbcr and not c.is_luma and not c.is_alpha), None)
        sub = "" if chroma is None else {(1, 1): "4:4:4", (2, 1): "4:2:2", (2, 2): "4:2:0"}.get(
            (round(first.width / chroma.width), round(first.height / chroma.height)), "")
        name = {"mov,mp4,m4a,3gp,3g2,mj2": "MOV/MP4", "matroska,webm": "MKV", "mxf": "MXF"}.get(container.format.name, container.format.name)
        return FileFacts("movie", name, stream.codec_context.codec.canonical_name, depth, first.width, first.height, 1, rate, ycbcr,
                         sub, bits_per_second, tags, metadata, tuple(notes))

    def frame(self, index: int = 0, reading: Reading | None = None) -> Still:
        """One frame by number; how the planes are read is ``reading``, or what the tags say (untagged: legal range)."""
        return self.several([index], reading)[0]

    def several(self, numbers: Sequence[int], reading: Reading | None = None) -> list[Still]:
        """Frames by rising number, with the file opened once; what lies between near ones is decoded, far ones are sought."""
        opened = self._opened
        facts = opened.facts
        for index in numbers:
            if not 0 <= index < facts.frames:
                raise UnreadableFile(self.path, f"has frames 0 to {facts.frames - 1}; frame {index} was asked for.")
        found: list[Still] = []
        slack = 0 if opened.pts else opened.step / 2
        try:
            with av.open(str(self.path), metadata_errors="replace") as container:
                stream = container.streams.video[0]
                intra = facts.codec in _INTRA
                stream.thread_type = "AUTO" if len(numbers) > 1 and not intra else "SLICE"
                before, near = 0, 2 if intra else NEAR
                frames = container.decode(stream)
                for index in numbers:
                    wanted = opened.pts[index] if opened.pts else opened.start + round(index * opened.step)
                    if index - before > near or (index and not found):
                        container.seek(int(wanted), stream=stream, backward=True)
                        frames = container.decode(stream)
                    before = index
                    frame = next((f for f in frames if index == 0 or (f.pts is not None and f.pts >= wanted - slack)), None)
                    if frame is None:
                        raise UnreadableFile(self.path, f"ends before frame {index}. Copy it again from the source.")
                    code = _code_of(self.path, frame, facts, reading or self.default_reading)
                    found.append(Still(code, facts.container, facts.depth, dict(facts.metadata), facts.notes))
        except (av.error.FFmpegError, ValueError, OSError, EOFError, MemoryError) as error:
            raise UnreadableFile(self.path, f"frame {numbers[len(found)]} cannot be decoded ({_reason(error)}). The file is damaged there.") from None
        return found

    def luma_frames(self, rows: int = 36, columns: int = 64) -> Iterator[Any]:
        """Every frame in order as a small picture (rows, columns) of luma or green, 0…1 of the code scale, decoded in one go."""
        bits = 2.0 ** max(8, int(self.facts.depth)) - 1
        try:
            with av.open(str(self.path), metadata_errors="replace") as container:
                stream = container.streams.video[0]
                stream.thread_type = "AUTO"
                for frame in container.decode(stream):
                    if frame.format.name in _REPACK:
                        frame = frame.reformat(format=_REPACK[frame.format.name])
                    plane = _plane(self.path, frame, 0, max(c.bits for c in frame.format.components))
                    ys = np.linspace(0, plane.shape[0], rows + 1).astype(int)
                    xs = np.linspace(0, plane.shape[1], columns + 1).astype(int)
                    sums = np.add.reduceat(np.add.reduceat(plane[:, :xs[-1]], xs[:-1], axis=1, dtype=np.float32), ys[:-1], axis=0)
                    yield sums / (np.diff(ys)[:, None] * np.diff(xs)[None, :]) / bits
        except (av.error.FFmpegError, ValueError, OSError, EOFError, MemoryError) as error:
            raise UnreadableFile(self.path, f"cannot be decoded to its end ({_reason(error)}). The file is damaged.") from None

    @property
    def default_reading(self) -> Reading:
        """What the tags say; a Y'CbCr file that says nothing is legal."""
        tags = self.facts.tags
        return Reading("full" if tags.range == "full" else "legal", tags.matrix if tags.matrix in LUMA else "")


def _all_pts(container: Any, stream: Any) -> tuple[int, ...]:
    """Presentation times of every frame, found without decoding; for files of uneven rate or unknown length."""
    container.seek(0)
    times = []
    for packet in container.demux(stream):
        if packet.pts is not None and packet.size:
            times.append(packet.pts)
        if len(times) > MOST_FRAMES:
            break
    return tuple(sorted(times))


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
            notes.append(f"The container says {name} {ours[name]}, the codec's own header {theirs[name]}; the container is followed.")
    return ColourTags(**{**theirs, **ours})


def _plane(path: Path, frame: Any, index: int, bits: int) -> Any:
    plane = frame.planes[index]
    kind = np.uint8 if bits <= 8 else np.uint16
    raw = np.frombuffer(plane, kind)
    pitch = plane.line_size // kind().itemsize
    if pitch < plane.width or raw.size < pitch * plane.height:
        raise UnreadableFile(path, "a decoded frame is smaller than it says. The file is damaged.")
    return raw[: pitch * plane.height].reshape(plane.height, pitch)[:, : plane.width]


def _code_of(path: Path, frame: Any, facts: FileFacts, reading: Reading) -> Any:
    name = frame.format.name
    if name in _REPACK:
        frame = frame.reformat(format=_REPACK[name])
        name = frame.format.name
    if name.endswith("be") and name not in ("gbrpbe",):
        frame = frame.reformat(format=name[:-2] + "le")
        name = frame.format.name
    bits = max(c.bits for c in frame.format.components)
    if bits > 16:
        raise UnreadableFile(path, f"its pixels are kept as “{name}”, which is not read. Hand in a 8 to 16 bit file.")
    top = np.float32(2**bits - 1)
    if name.startswith("gbr"):
        green, blue, red = (_plane(path, frame, i, bits) for i in range(3))
        return np.stack([red, green, blue], axis=-1).astype(np.float32) / top
    if name.startswith("gray"):
        return np.repeat(_plane(path, frame, 0, bits)[..., None].astype(np.float32) / top, 3, axis=-1)
    if name.startswith("yuv"):
        y, cb, cr = (_plane(path, frame, i, bits) for i in range(3))
        matrix = reading.matrix or facts.tags.matrix
        if matrix not in LUMA:
            matrix = "BT.709" if facts.height >= 720 else "BT.601"
        siting: Siting = reading.siting or default_siting(name, matrix, facts.codec)
        if y.shape[1] > 2 * cb.shape[1] or y.shape[0] > 2 * cb.shape[0]:
            raise UnreadableFile(path, f"its chroma is kept as “{name}”, which is not read. Hand in 4:2:0, 4:2:2 or 4:4:4.")
        return to_rgb_code(Planes(y, cb, cr, bits), matrix, reading.range, siting)
    if name in ("rgb24", "rgb48le"):
        width = frame.width * 3
        plane = frame.planes[0]
        kind = np.uint8 if name == "rgb24" else np.uint16
        raw = np.frombuffer(plane, kind)[: plane.line_size // kind().itemsize * frame.height].reshape(frame.height, -1)
        return raw[:, :width].reshape(frame.height, frame.width, 3).astype(np.float32) / np.float32(np.iinfo(kind).max)
    raise UnreadableFile(path, f"its pixels are kept as “{name}”, which is not read. Hand in Y'CbCr or RGB.")


def default_siting(layout: str, matrix: str, codec: str) -> Siting:
    """Where chroma sits when nobody says: JPEG centre, BT.2020 4:2:0 top left (BT.2020-2 table 4), all else left (H.264 type 0).

    PyAV does not hand out the file's own chroma location, so an unusual one is not seen.
    """
    if codec in ("mjpeg", "mjpegb"):
        return "centre"
    return "top left" if "420" in layout and matrix == "BT.2020" else "left"


def _reason(error: BaseException) -> str:
    text = getattr(error, "strerror", None) or str(error) or type(error).__name__
    return str(text).split("\n", 1)[0].split(":", 1)[0].strip()[:80].lower()
