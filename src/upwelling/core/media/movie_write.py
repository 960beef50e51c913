"""Writing movies: our own planes into a codec, tagged on the codec context and on every frame."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path as FilePath
from typing import Any, cast

import av
import numpy as np

from upwelling.core.encodings.base import Range
from upwelling.core.errors import UnwritableFile
from upwelling.core.files import whole_file
from upwelling.core.media.tags import ColourTags, numbers
from upwelling.core.media.ycbcr import SITINGS, Siting, from_rgb_signal


@dataclass(frozen=True)
class Codec:
    """One way to write a movie: ffmpeg's encoder, pixel layout, subsampling and options."""

    title: str
    encoder: str
    layout: str
    depth: int
    subsampling: tuple[int, int]
    options: Mapping[str, str]
    only_legal: bool = False


CODECS = {
    "prores-4444": Codec(
        "ProRes 4444", "prores_ks", "yuv444p10le", 10, (1, 1), {"profile": "4444", "vendor": "apl0"}, True
    ),
    "prores-422": Codec("ProRes 422 HQ", "prores", "yuv422p10le", 10, (2, 1), {"profile": "3"}, True),
    "h265-10": Codec(
        "H.265 10 bit", "libx265", "yuv420p10le", 10, (2, 2), {"crf": "16", "x265-params": "log-level=none"}
    ),
    "h265-8": Codec("H.265 8 bit", "libx265", "yuv420p", 8, (2, 2), {"crf": "18", "x265-params": "log-level=none"}),
    "h264-8": Codec("H.264 8 bit", "libx264", "yuv420p", 8, (2, 2), {"crf": "18", "preset": "medium"}),
    "h264-10": Codec("H.264 10 bit", "libx264", "yuv422p10le", 10, (2, 1), {"crf": "14", "preset": "medium"}),
    "dnxhr-hqx": Codec("DNxHR HQX", "dnxhd", "yuv422p10le", 10, (2, 1), {"profile": "dnxhr_hqx"}, True),
    "ffv1-10": Codec("FFV1 10 bit 4:4:4", "ffv1", "yuv444p10le", 10, (1, 1), {"level": "3"}),
    "ffv1-8": Codec("FFV1 8 bit 4:2:0", "ffv1", "yuv420p", 8, (2, 2), {"level": "3"}),
}
_PARAMETERS = {"libx264": "x264-params", "libx265": "x265-params"}


def write_movie(
    path: FilePath,
    frames: Iterable[Any],
    codec_name: str,
    *,
    rate: int = 24,
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
    codec = CODECS[codec_name]
    if codec.only_legal and code_range == "full":
        raise UnwritableFile(path, f"{codec.title} is read as legal range everywhere; full range would come out wrong.")
    count = 0
    with whole_file(path) as temporary:
        try:
            count = _write(
                temporary, path.suffix, frames, codec, rate, tags, matrix, code_range, metadata or {}, options or {}
            )
        except av.error.FFmpegError as error:
            raise UnwritableFile(path, f"the encoder refused it ({str(error)[:100]}).") from None
        if not count:
            raise UnwritableFile(path, "there is no frame to write.")
    return count


def _write(
    place: FilePath,
    suffix: str,
    frames: Iterable[Any],
    codec: Codec,
    rate: int,
    tags: ColourTags | None,
    matrix: str,
    code_range: Range,
    metadata: Mapping[str, str],
    options: Mapping[str, str],
) -> int:
    kind = {".mov": "mov", ".mp4": "mp4", ".mkv": "matroska", ".mxf": "mxf"}.get(suffix.lower(), "mov")
    flags = {"movflags": "+write_colr+use_metadata_tags"} if kind in ("mov", "mp4") else {}
    # BT.2020-2 table 4 puts 4:2:0 chroma top left, and the stream must say so: H.264 and H.265 mean “left” where
    # nothing is said.
    siting: Siting = "top left" if matrix == "BT.2020" and codec.subsampling == (2, 2) else "left"
    said = dict(codec.options)
    if siting != "left" and codec.encoder in _PARAMETERS:
        name = _PARAMETERS[codec.encoder]
        said[name] = ":".join(filter(None, (said.get(name, ""), f"chromaloc={SITINGS.index(siting)}")))
    count = 0
    with av.open(str(place), "w", format=kind, options=flags) as container:
        container.metadata.update(dict(metadata))
        stream: Any = None
        for rgb in frames:
            planes = from_rgb_signal(rgb, matrix, code_range, codec.depth, codec.subsampling, siting)
            height, width = planes.y.shape
            if stream is None:
                stream = container.add_stream(codec.encoder, rate=Fraction(rate), options={**said, **options})
                stream.width, stream.height, stream.pix_fmt = width, height, codec.layout
                _tag(stream.codec_context, tags)
            frame = av.VideoFrame(width, height, codec.layout)
            for plane, values in zip(frame.planes, (planes.y, planes.cb, planes.cr), strict=False):
                _fill(plane, values)
            _tag(frame, tags)
            frame.pts = count
            for packet in stream.encode(frame):
                container.mux(packet)
            count += 1
        if stream is not None:
            for packet in stream.encode():
                container.mux(packet)
    return count


def _fill(plane: Any, values: Any) -> None:
    pitch = plane.line_size // values.dtype.itemsize
    padded = np.zeros((plane.height, pitch), values.dtype)
    padded[:, : plane.width] = values[: plane.height, : plane.width]
    plane.update(padded.tobytes()[: plane.buffer_size])


def _tag(target: Any, tags: ColourTags | None) -> None:
    if tags is None:
        return
    target.color_primaries, target.color_trc, target.colorspace, code_range = cast("tuple[Any, ...]", numbers(tags))
    if code_range:
        target.color_range = code_range
