"""JPEG stills: the decoder's own Y'CbCr, turned to R'G'B' here. Source: ITU-T T.871 (JFIF): BT.601 weights, full range."""

from __future__ import annotations

import io
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
import tifffile

from upwelling.core.errors import UnreadableFile
from upwelling.core.files import whole_file
from upwelling.core.media.base import Container, Depth, Still, check_size, finish, quantise
from upwelling.core.media.ycbcr import Planes, to_rgb_code

_FRAMES = set(range(0xC0, 0xD0)) - {0xC4, 0xC8, 0xCC}
_EXIF = {"Make": "make", "Model": "model", "Software": "software"}


def read(path: Path) -> Still:
    """Reads an 8-bit JPEG of one or three components; chroma is interpolated by the decoder, centred as JFIF says."""
    data = path.read_bytes()
    width, height, components, adobe, exif = _markers(path, data)
    check_size(path, width, height)
    notes: list[str] = []
    try:
        if components == 3 and adobe != 0:
            planes = imagecodecs.jpeg8_decode(data, colorspace="YCBCR", outcolorspace="YCBCR")
            code = to_rgb_code(Planes(planes[..., 0], planes[..., 1], planes[..., 2], 8), "BT.601", "full")
            return Still(code, "JPEG", "8", _metadata(exif), tuple(notes))
        if components == 4:
            raise UnreadableFile(path, "is a four-colour (CMYK) JPEG for print. Hand in an RGB picture.")
        return finish(path, imagecodecs.jpeg8_decode(data), "JPEG", "8", _metadata(exif), notes)
    except UnreadableFile:
        raise
    except Exception as error:  # the codec raises its own kinds of error on damaged data
        raise UnreadableFile(path, f"is damaged or cut short ({str(error)[:60]}). Copy it again from the source.") from None


def _markers(path: Path, data: bytes) -> tuple[int, int, int, int, bytes]:
    """Width, height, components, the transform that an APP14 segment names (−1 without one), and the EXIF block."""
    position, adobe, exif = 2, -1, b""
    while position + 4 <= len(data):
        if data[position] != 0xFF:
            break
        marker = data[position + 1]
        if marker == 0xFF:
            position += 1
            continue
        size = int.from_bytes(data[position + 2:position + 4], "big")
        body = data[position + 4:position + 2 + size]
        if marker in _FRAMES:
            if len(body) < 6:
                break
            if body[0] != 8:
                raise UnreadableFile(path, f"is a {body[0]}-bit JPEG; 8 bit is read.")
            return int.from_bytes(body[3:5], "big"), int.from_bytes(body[1:3], "big"), body[5], adobe, exif
        if marker == 0xEE and body[:5] == b"Adobe" and len(body) >= 12:
            adobe = body[11]
        if marker == 0xE1 and body[:6] == b"Exif\0\0":
            exif = body[6:]
        position += 2 + size
    raise UnreadableFile(path, "the file ends inside its header. Copy it again from the source.")


def _metadata(exif: bytes) -> dict[str, str]:
    if not exif:
        return {}
    try:
        with tifffile.TiffFile(io.BytesIO(exif)) as file:
            found = {_EXIF[tag.name]: str(tag.value)[:120] for tag in file.pages[0].tags if tag.name in _EXIF}
            inner = file.pages[0].tags.get("ExifTag")
            if inner is not None and isinstance(inner.value, dict) and "ColorSpace" in inner.value:
                found["exif colour space"] = {1: "sRGB", 65535: "uncalibrated"}.get(int(inner.value["ColorSpace"]), "")
            return {key: value for key, value in found.items() if value}
    except Exception:  # damaged EXIF tells nothing; the picture is still whole
        return {}


def write(path: Path, code: Any, depth: Depth, tags: Mapping[str, Any]) -> None:
    """Writes an 8-bit 4:4:4 JPEG of quality 95."""
    levels = quantise(path, code, 8)
    with whole_file(path) as temporary:
        temporary.write_bytes(bytes(imagecodecs.jpeg8_encode(np.ascontiguousarray(levels), level=95, subsampling="444")))


JPEG = Container("JPEG", (".jpg", ".jpeg"), (b"\xff\xd8\xff",), ("8",), read, write)
