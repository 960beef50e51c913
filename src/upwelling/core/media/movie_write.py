"""Writing movies: our own planes into a codec, tagged on the codec context and on every frame."""

from __future__ import annotations

import errno
import os
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path as FilePath
from typing import Any, cast

import av
import numpy as np

from upwelling.core.encodings.base import Range
from upwelling.core.errors import UnwritableFile
from upwelling.core.files import whole_file
from upwelling.core.media.dither import Dither
from upwelling.core.media.fields import INTERLACED, WOVEN, FieldMarker, FirstField, x264_mark
from upwelling.core.media.tags import ColourTags, numbers
from upwelling.core.media.ycbcr import SITINGS, Siting, from_rgb_signal


@dataclass(frozen=True)
class Codec:
    """One way to write a movie: ffmpeg's encoder, pixel layout, subsampling and options.

    ``parameters`` go to the encoder's own parser, and are what makes a run the same however many cores there are.
    ``intra``: every frame stands by itself. ``fields``: it can carry two in a frame. One of ``rgb`` planes is read as
    full range everywhere. ``decoded_depth``: bits that decoders give where that is not what the encoder is given.
    """

    title: str
    encoder: str
    layout: str
    depth: int
    subsampling: tuple[int, int]
    options: Mapping[str, str]
    only_legal: bool = False
    parameters: Mapping[str, str] = field(default_factory=dict)
    fields: bool = False
    decoded_depth: int = 0

    @property
    def rgb(self) -> bool:
        """Whether it carries R'G'B' and no chroma."""
        return self.layout.startswith("gbr")

    def refusal(self, code_range: Range) -> str:
        """Why a range cannot be written in it; empty where it can."""
        only = "legal" if self.only_legal else "full" if self.rgb else code_range
        if only == code_range:
            return ""
        other = "full range" if code_range == "full" else "legal"
        return f"{self.title} is read as {only} range everywhere; {other} would come out wrong."

    @property
    def part_kind(self) -> str:
        """The container of parts that are joined later: what holds the codec and keeps times to the frame."""
        return "matroska" if self.encoder == "ffv1" else "mov"

    @property
    def intra(self) -> bool:
        return self.encoder not in _PARAMETERS


_X265 = {"log-level": "none", "pools": "2", "frame-threads": "2", "open-gop": "0"}
_X264 = {"threads": "4", "mbtree": "0"}
"""With its tree of macroblocks libx264 gives other bytes for the same frames now and then, even on one thread: 11 of
about 130 processes showed it, none of 60 without it, and none without the look ahead that feeds it.
"""
_PARAMETERS = {"libx264": "x264-params", "libx265": "x265-params"}
_FFV1 = {"level": "3", "g": "1", "slices": "4", "slicecrc": "1"}
"""Version 3 with every frame by itself and a checksum in each slice. Source: RFC 9043."""
CODECS = {
    "prores-4444": Codec(
        "ProRes 4444",
        "prores_ks",
        "yuv444p10le",
        10,
        (1, 1),
        {"profile": "4444", "vendor": "apl0"},
        True,
        fields=True,
        decoded_depth=12,
    ),
    "prores-422": Codec("ProRes 422 HQ", "prores", "yuv422p10le", 10, (2, 1), {"profile": "3"}, True, fields=True),
    "h265-10": Codec("H.265 10 bit", "libx265", "yuv420p10le", 10, (2, 2), {"crf": "16"}, parameters=_X265),
    "h265-8": Codec("H.265 8 bit", "libx265", "yuv420p", 8, (2, 2), {"crf": "18"}, parameters=_X265),
    "h264-8": Codec(
        "H.264 8 bit", "libx264", "yuv420p", 8, (2, 2), {"crf": "18", "preset": "medium"}, parameters=_X264, fields=True
    ),
    "h264-10": Codec(
        "H.264 10 bit",
        "libx264",
        "yuv422p10le",
        10,
        (2, 1),
        {"crf": "14", "preset": "medium"},
        parameters=_X264,
        fields=True,
    ),
    "dnxhr-hqx": Codec("DNxHR HQX", "dnxhd", "yuv422p10le", 10, (2, 1), {"profile": "dnxhr_hqx"}, True),
    "h265-12": Codec("H.265 12 bit 4:4:4", "libx265", "yuv444p12le", 12, (1, 1), {"crf": "12"}, parameters=_X265),
    "cineform-12": Codec("VC-5 (CineForm) RGB 12 bit", "cfhd", "gbrp12le", 12, (1, 1), {"quality": "film3+"}),
    "ffv1-rgb-12": Codec("FFV1 RGB 12 bit", "ffv1", "gbrp12le", 12, (1, 1), _FFV1),
    "ffv1-rgb-16": Codec("FFV1 RGB 16 bit", "ffv1", "gbrp16le", 16, (1, 1), _FFV1),
    "ffv1-10": Codec("FFV1 10 bit 4:4:4", "ffv1", "yuv444p10le", 10, (1, 1), {"level": "3"}),
    "ffv1-8": Codec("FFV1 8 bit 4:2:0", "ffv1", "yuv420p", 8, (2, 2), {"level": "3"}),
}
KINDS = {".mov": "mov", ".mp4": "mp4", ".m4v": "mp4", ".mkv": "matroska", ".mxf": "mxf"}


@dataclass(frozen=True)
class MovieSettings:
    """All that is said of a movie beside its frames. ``tags`` None: the file says nothing of colour.

    ``parameters`` are the encoder's own beside the codec's; ``pixel_aspect`` width over height of a pixel.
    """

    codec: Codec
    rate: Fraction = Fraction(24)
    tags: ColourTags | None = None
    matrix: str = "BT.709"
    code_range: Range = "legal"
    dither: Dither = "none"
    metadata: Mapping[str, str] = field(default_factory=dict)
    options: Mapping[str, str] = field(default_factory=dict)
    parameters: Mapping[str, str] = field(default_factory=dict)
    pixel_aspect: Fraction = Fraction(1)
    bits_per_second: int = 0
    fields: FirstField = ""

    @property
    def siting(self) -> Siting:
        """BT.2020-2 table 4 puts 4:2:0 chroma top left, and the stream must say so: H.264 and H.265 mean “left” where
        nothing is said.
        """
        return "top left" if self.matrix == "BT.2020" and self.codec.subsampling == (2, 2) else "left"

    def check(self, path: FilePath) -> None:
        """Raises UnwritableFile for a range the codec cannot carry."""
        if refused := self.codec.refusal(self.code_range):
            raise UnwritableFile(path, refused)

    def encoder_options(self) -> dict[str, str]:
        """What the encoder is opened with."""
        said = {**self.codec.options, **self.options}
        if self.bits_per_second:
            said.pop("crf", None)
        if not self.codec.intra:
            own = {**self.codec.parameters, **self.parameters, **x264_mark(self.fields)}
            if self.siting != "left":
                own["chromaloc"] = str(SITINGS.index(self.siting))
            name = _PARAMETERS[self.codec.encoder]
            given = [f"{key}={value}" for key, value in own.items()]
            said[name] = ":".join(filter(None, (said.get(name, ""), *given)))
        return said


class MovieWriter:
    """Frames into one file. Used as a context; what fails in the encoder is raised as UnwritableFile by ``add``."""

    def __init__(self, place: FilePath, kind: str, settings: MovieSettings) -> None:
        self.place, self.settings, self.count = place, settings, 0
        flags = {"movflags": "+write_colr+use_metadata_tags"} if kind in ("mov", "mp4") else {}
        self._container = av.open(str(place), "w", format=kind, options=flags)
        self._container.metadata.update(dict(settings.metadata))
        self._stream: Any = None
        self._marked = FieldMarker(settings.fields)

    def __enter__(self) -> MovieWriter:
        return self

    def __exit__(self, kind: Any, error: Any, trace: Any) -> None:
        with encoder_refusing(self.place):
            try:
                if error is None and self._stream is not None:
                    for packet in self._stream.encode():
                        self._container.mux(packet)
            finally:
                self._container.close()

    def add(self, rgb: Any, number: int | None = None) -> None:
        """One more frame of full-range R'G'B' signal (H, W, 3); its ``number`` places the dither."""
        said = self.settings
        codec = said.codec
        planes = self._planes(rgb, self.count if number is None else number)
        height, width = planes[0].shape
        if self._stream is None:
            self._open(width, height)
        frame = av.VideoFrame(width, height, codec.layout)
        for plane, values in zip(frame.planes, planes, strict=False):
            _fill(plane, values)
        _tag(frame, said.tags)
        frame.pts, frame.time_base = self.count, 1 / said.rate
        with encoder_refusing(self.place):
            for packet in self._stream.encode(self._marked(frame)):
                self._container.mux(packet)
        self.count += 1

    def _planes(self, rgb: Any, number: int) -> tuple[Any, Any, Any]:
        """A frame's planes as the codec's layout has them."""
        said = self.settings
        codec = said.codec
        if codec.rgb:
            top = 2**codec.depth - 1
            codes = np.rint(np.clip(rgb, 0.0, 1.0) * np.float64(top)).astype(np.uint16)
            return codes[..., 1], codes[..., 2], codes[..., 0]
        planes = from_rgb_signal(
            rgb,
            said.matrix,
            said.code_range,
            codec.depth,
            codec.subsampling,
            said.siting,
            dither=said.dither,
            frame=number,
            fields=bool(said.fields),
        )
        return planes.y, planes.cb, planes.cr

    def _open(self, width: int, height: int) -> None:
        said = self.settings
        stream: Any = self._container.add_stream(said.codec.encoder, rate=said.rate, options=said.encoder_options())
        stream.width, stream.height, stream.pix_fmt = width, height, said.codec.layout
        if said.pixel_aspect != 1:
            stream.codec_context.sample_aspect_ratio = said.pixel_aspect
        if said.codec.encoder.startswith("prores"):  # whose frames are the same however many threads write them
            stream.codec_context.thread_count, stream.codec_context.thread_type = os.cpu_count() or 1, "FRAME"
        if said.bits_per_second:
            stream.codec_context.bit_rate = said.bits_per_second
        if said.fields:
            stream.codec_context.flags |= INTERLACED
            stream.codec_context.field_order = WOVEN[said.fields]
        _tag(stream.codec_context, said.tags)
        self._stream = stream


@contextmanager
def encoder_refusing(place: FilePath) -> Iterator[None]:
    """What ffmpeg's encoders and containers raise becomes UnwritableFile; a full disk stays an OSError."""
    try:
        yield
    except av.error.FFmpegError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise OSError(error.errno, os.strerror(error.errno), str(place)) from None
        raise UnwritableFile(place, f"the encoder refused it ({str(error)[:100]}).") from None


def write_movie(
    path: FilePath,
    frames: Iterable[Any],
    codec_name: str,
    *,
    rate: int | Fraction = 24,
    tags: ColourTags | None = None,
    matrix: str = "BT.709",
    code_range: Range = "legal",
    metadata: Mapping[str, str] | None = None,
    options: Mapping[str, str] | None = None,
) -> int:
    """Writes full-range R'G'B' signal frames (H, W, 3); gives how many. ``tags`` None: the file says nothing of colour.

    Raises UnwritableFile for a codec that is not known, a range the codec cannot carry, or no frames.
    """
    if codec_name not in CODECS:
        raise UnwritableFile(path, f"“{codec_name}” is not a codec this program writes; use {', '.join(CODECS)}.")
    settings = MovieSettings(
        CODECS[codec_name], Fraction(rate), tags, matrix, code_range, metadata=metadata or {}, options=options or {}
    )
    settings.check(path)
    with whole_file(path) as temporary:
        try:
            with MovieWriter(temporary, KINDS.get(path.suffix.lower(), "mov"), settings) as writer:
                for rgb in frames:
                    writer.add(rgb)
        except UnwritableFile as error:  # by its own name
            raise UnwritableFile(path, error.problem) from None
        if not writer.count:
            raise UnwritableFile(path, "there is no frame to write.")
    return writer.count


def _fill(plane: Any, values: Any) -> None:
    pitch = plane.line_size // values.dtype.itemsize
    held = np.frombuffer(plane, values.dtype)[: pitch * plane.height].reshape(plane.height, pitch)
    held[:, : plane.width] = values[: plane.height, : plane.width]


def _tag(target: Any, tags: ColourTags | None) -> None:
    if tags is None:
        return
    target.color_primaries, target.color_trc, target.colorspace, code_range = cast("tuple[Any, ...]", numbers(tags))
    if code_range:
        target.color_range = code_range
