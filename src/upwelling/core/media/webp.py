"""WebP stills, read only. Source: RFC 9649, WebP Image Format (2024); sRGB where no profile is given, section 2.7."""

from __future__ import annotations

import struct
from collections.abc import Iterator, Mapping
from pathlib import Path as FilePath

import imagecodecs

from upwelling.core.errors import UnreadableFile
from upwelling.core.media.base import Container, Still, check_size, finish
from upwelling.core.media.icc import read_profile
from upwelling.core.media.tags import ColourTags


def _chunks(data: bytes) -> Iterator[tuple[bytes, bytes]]:
    position = 12
    while position + 8 <= len(data):
        kind, length = struct.unpack("<4sI", data[position : position + 8])
        yield kind, data[position + 8 : position + 8 + length]
        position += 8 + length + length % 2


def _size(chunks: Mapping[bytes, bytes]) -> tuple[int, int]:
    """Width and height as the file's first chunk says, 0 and 0 where it says none (sections 2.5 to 2.7)."""
    if len(body := chunks.get(b"VP8X", b"")) >= 10:
        return int.from_bytes(body[4:7], "little") + 1, int.from_bytes(body[7:10], "little") + 1
    if len(body := chunks.get(b"VP8 ", b"")) >= 10:
        wide, high = struct.unpack("<HH", body[6:10])
        return wide & 0x3FFF, high & 0x3FFF
    if len(body := chunks.get(b"VP8L", b"")) >= 5:
        bits = int.from_bytes(body[1:5], "little")
        return (bits & 0x3FFF) + 1, (bits >> 14 & 0x3FFF) + 1
    return 0, 0


def read(path: FilePath) -> Still:
    """Reads an 8-bit WebP; chroma is interpolated and turned to RGB by the decoder, BT.601 as its definition says."""
    data = path.read_bytes()
    if len(data) < 12 or struct.unpack("<I", data[4:8])[0] + 8 > len(data):
        raise UnreadableFile(path, "the file is cut short. Copy it again from the source.")
    chunks = dict(_chunks(data))
    if b"ANIM" in chunks:
        raise UnreadableFile(path, "is an animation. Hand in its pictures as a movie or as numbered stills.")
    check_size(path, *_size(chunks))
    tags, metadata = ColourTags("BT.709", "sRGB", "RGB", "full"), {}
    if profile := chunks.get(b"ICCP"):
        found = read_profile(profile)
        metadata["ICC profile"], tags = found.sentence(), found.tags
    notes = [] if b"VP8L" in chunks else ["Lossy, with chroma halved both ways."]
    try:
        pixels = imagecodecs.webp_decode(data)
    except Exception as error:  # the codec raises its own kinds of error on damaged data
        raise UnreadableFile(path, f"is damaged ({str(error)[:60]}). Copy it again from the source.") from None
    return finish(path, pixels, "WebP", "8", metadata, notes, tags=tags)


WEBP = Container("WebP", (".webp",), (b"RIFF",), (), read, inner=b"WEBP")
