"""JPEG stills: the decoder's own Y'CbCr, turned to R'G'B' here. Source: ITU-T T.871 (JFIF): BT.601 weights,
full range.
"""

from __future__ import annotations

import io
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path as FilePath
from typing import Any

import av
import imagecodecs
import numpy as np
import tifffile

from upwelling.core.errors import UnreadableFile
from upwelling.core.files import whole_file
from upwelling.core.media.base import Container, Depth, Still, check_size, finish, note_orientation, quantise
from upwelling.core.media.icc import read_profile
from upwelling.core.media.own_mark import said_by, words_for
from upwelling.core.media.tags import ColourTags
from upwelling.core.media.ycbcr import Planes, to_rgb_code

_FRAMES = set(range(0xC0, 0xD0)) - {0xC4, 0xC8, 0xCC}
_EXIF = {"Make": "make", "Model": "model", "Software": "software"}


@dataclass
class _Header:
    """What the segments before the scan say; ``transform`` is an APP14 segment's, −1 without one."""

    width: int = 0
    height: int = 0
    components: int = 0
    transform: int = -1
    exif: bytes = b""
    comment: str = ""
    icc: bytes = b""


def read(path: FilePath) -> Still:
    """Reads an 8-bit JPEG of one or three components; chroma is interpolated by the decoder, centred as JFIF says."""
    data = path.read_bytes()
    header = _header(path, data)
    check_size(path, header.width, header.height)
    if header.components == 4:
        raise UnreadableFile(path, "is a four-colour (CMYK) JPEG for print. Hand in an RGB picture.")
    _refuse_damage(path, data)
    notes: list[str] = []
    metadata, tags = _said(header, notes)
    try:
        if header.components == 3 and header.transform != 0:
            planes = imagecodecs.jpeg8_decode(data, colorspace="YCBCR", outcolorspace="YCBCR")
            code = to_rgb_code(Planes(planes[..., 0], planes[..., 1], planes[..., 2], 8), "BT.601", "full")
            return Still(code, "JPEG", "8", metadata, tuple(notes), tags)
        return finish(path, imagecodecs.jpeg8_decode(data), "JPEG", "8", metadata, notes, tags=tags)
    except UnreadableFile:
        raise
    except Exception as error:  # the codec raises its own kinds of error on damaged data
        raise UnreadableFile(
            path, f"is damaged or cut short ({str(error)[:60]}). Copy it again from the source."
        ) from None


def _refuse_damage(path: FilePath, data: bytes) -> None:
    """Refuses what the decoder would patch up without a word: a codec that recodes the stream without loss takes none
    that is not whole.

    It knows no chroma a quarter as wide; such a stream is held to end where it should and to pass a decoder that stops
    at what it sees broken.
    """
    picture, is_usual = _picture_alone(data)
    try:
        if is_usual:
            imagecodecs.jpegxl_encode_jpeg(picture)
        elif b"\xff\xd9" not in picture[-64:] or not _decodes(picture):
            raise ValueError
    except Exception:  # any refusal, whatever its kind
        raise UnreadableFile(
            path, "is damaged or cut short: its stream does not hold together. Copy it again from the source."
        ) from None


def _decodes(picture: bytes) -> bool:
    context: Any = av.CodecContext.create("mjpeg", "r")
    context.options = {"err_detect": "crccheck+bitstream+buffer+explode"}
    frames = [*context.decode(av.Packet(picture)), *context.decode(None)]
    return bool(frames) and not any(frame.is_corrupt for frame in frames)


def _picture_alone(data: bytes) -> tuple[bytes, bool]:
    """The stream without what programs attach to it, and whether its chroma is at most halved each way."""
    kept, position, is_usual = [data[:2]], 2, True
    while position + 4 <= len(data) and data[position] == 0xFF:
        marker = data[position + 1]
        end = position + 2 + max(2, int.from_bytes(data[position + 2 : position + 4], "big"))
        if marker in _FRAMES:
            is_usual = all(factors >> 4 <= 2 and factors & 15 <= 2 for factors in data[position + 11 : end : 3])
        if marker == 0xDA:
            break
        if not 0xE0 <= marker <= 0xEF and marker != 0xFE:
            kept.append(data[position:end])
        position = end
    return b"".join(kept) + data[position:], is_usual


def _header(path: FilePath, data: bytes) -> _Header:
    found, position = _Header(), 2
    profile: dict[int, bytes] = {}
    while position + 4 <= len(data):
        if data[position] != 0xFF:
            break
        marker = data[position + 1]
        if marker == 0xFF:
            position += 1
            continue
        size = int.from_bytes(data[position + 2 : position + 4], "big")
        body = data[position + 4 : position + 2 + size]
        if marker in _FRAMES:
            if len(body) < 6:
                break
            if marker not in (0xC0, 0xC1, 0xC2):
                raise UnreadableFile(
                    path,
                    f"is a JPEG of a rare kind (frame type {marker - 0xC0}: lossless, hierarchical or arithmetic), "
                    "which is not read. Save it as an ordinary JPEG or PNG.",
                )
            if body[0] != 8:
                raise UnreadableFile(path, f"is a {body[0]}-bit JPEG; 8 bit is read.")
            found.height, found.width, found.components = (
                int.from_bytes(body[1:3], "big"),
                int.from_bytes(body[3:5], "big"),
                body[5],
            )
        elif marker == 0xDA:
            if not found.components:
                break
            found.icc = b"".join(profile[number] for number in sorted(profile))
            return found
        elif marker == 0xEE and body[:5] == b"Adobe" and len(body) >= 12:
            found.transform = body[11]
        elif marker == 0xE1 and body[:6] == b"Exif\0\0":
            found.exif = body[6:]
        elif marker == 0xE2 and body[:12] == b"ICC_PROFILE\0" and len(body) > 14:
            profile[body[12]] = body[14:]
        elif marker == 0xFE:
            found.comment = body[:400].decode("utf-8", "ignore")
        position += 2 + max(size, 2)
    raise UnreadableFile(path, "the file ends inside its header. Copy it again from the source.")


def _said(header: _Header, notes: list[str]) -> tuple[dict[str, str], ColourTags]:
    metadata = {**_metadata(header.exif, notes), **said_by(header.comment)}
    if header.comment:
        metadata["comment"] = header.comment[:200]
    tags = ColourTags("BT.709", "sRGB", "RGB", "full") if metadata.get("exif colour space") == "sRGB" else ColourTags()
    if header.icc:
        profile = read_profile(header.icc)
        metadata["ICC profile"], tags = profile.sentence(), profile.tags
    return metadata, tags


def _metadata(exif: bytes, notes: list[str]) -> dict[str, str]:
    if not exif:
        return {}
    try:
        with tifffile.TiffFile(io.BytesIO(exif)) as file:
            tags = file.pages[0].tags
            found = {_EXIF[tag.name]: str(tag.value)[:120] for tag in tags if tag.name in _EXIF}
            note_orientation(tags.valueof(274, None), notes)
            inner = tags.get("ExifTag")
            if inner is not None and isinstance(inner.value, dict) and "ColorSpace" in inner.value:
                found["exif colour space"] = {1: "sRGB", 65535: "uncalibrated"}.get(int(inner.value["ColorSpace"]), "")
            return {key: value for key, value in found.items() if value}
    except Exception:  # damaged EXIF tells nothing; the picture is still whole
        return {}


def write(path: FilePath, code: Any, depth: Depth, tags: Mapping[str, Any]) -> None:
    """Writes an 8-bit 4:4:4 JPEG of quality 95; the encoding stands in a comment."""
    levels = quantise(path, code, 8)
    data = bytes(imagecodecs.jpeg8_encode(np.ascontiguousarray(levels), level=95, subsampling="444"))
    words = words_for(tags).encode()
    if words:
        data = data[:2] + b"\xff\xfe" + (len(words) + 2).to_bytes(2, "big") + words + data[2:]
    with whole_file(path) as temporary:
        temporary.write_bytes(data)


JPEG = Container("JPEG", (".jpg", ".jpeg"), (b"\xff\xd8\xff",), ("8",), read, write)
