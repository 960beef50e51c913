"""JPEG 2000 stills, read only. Source: ITU-T T.800 (2019): annex A, code stream; annex I, the file's boxes."""

from __future__ import annotations

import struct
from collections.abc import Iterator, Mapping
from pathlib import Path as FilePath

import imagecodecs
import numpy as np

from upwelling.core.errors import UnreadableFile
from upwelling.core.media.base import Container, Depth, Still, check_size, finish
from upwelling.core.media.icc import read_profile
from upwelling.core.media.tags import ColourTags

FILE, STREAM = b"\0\0\0\x0cjP  \r\n\x87\n", b"\xff\x4f\xff\x51"
_SRGB, _GREY, _CINEMA = 16, 17, (3, 4)
"""Enumerated colour spaces of table I.10, and the profiles of digital cinema of table A.10."""
_WORDS = {12: "CMYK, for print", 18: "sYCC, luma and chroma"}


def read(path: FilePath) -> Still:
    """Reads 8 to 16 bit of one to four channels."""
    data = path.read_bytes()
    boxes = dict(_boxes(data)) if data.startswith(FILE) else {}
    start = data.find(STREAM)
    if start < 0 or len(data) < start + 44:
        raise UnreadableFile(path, "the file ends inside its header. Copy it again from the source.")
    if data.rstrip(b"\0")[-2:] != b"\xff\xd9":
        raise UnreadableFile(path, "the file is cut short (its end mark is missing). Copy it again from the source.")
    profile, right, low, left, top = struct.unpack(">HIIII", data[start + 6 : start + 24])
    (count,) = struct.unpack(">H", data[start + 40 : start + 42])
    check_size(path, right - left, low - top)
    if count not in (1, 2, 3, 4):
        raise UnreadableFile(path, f"has {count} channels. Hand in an RGB picture.")
    parts = data[start + 42 : start + 42 + 3 * count]
    kinds = {parts[n] for n in range(0, len(parts), 3)}
    if len(kinds) > 1 or any(parts[n] != 1 for n in range(len(parts)) if n % 3):
        raise UnreadableFile(path, "has channels of different depth or size. Convert it to RGB of one depth.")
    bits = (kinds.pop() & 127) + 1
    if parts[0] & 128 or not 8 <= bits <= 16:
        raise UnreadableFile(
            path, f"holds {'signed ' if parts[0] & 128 else ''}values of {bits} bit; 8 to 16 are read."
        )
    metadata, tags = _said(path, boxes)
    notes = []
    if profile in _CINEMA:
        notes.append(
            "Digital cinema: its channels are X′, Y′ and Z′ of gamma 2.6. Make an encoding of your own of them."
        )
    try:
        pixels = np.asarray(imagecodecs.jpeg2k_decode(data))
    except Exception as error:  # the codec raises its own kinds of error on damaged data
        raise UnreadableFile(path, f"is damaged ({str(error)[:60]}). Copy it again from the source.") from None
    depth: Depth = "8" if bits == 8 else "10" if bits <= 10 else "12" if bits <= 12 else "16"
    return finish(path, pixels, "JPEG 2000", depth, metadata, notes, bits=bits, tags=tags)


def _boxes(data: bytes) -> Iterator[tuple[bytes, bytes]]:
    """Boxes and those within the header's, by name; the code stream's is left out."""
    position = 0
    while position + 8 <= len(data):
        length, kind = struct.unpack(">I4s", data[position : position + 8])
        if kind == b"jp2c" or length < 8:
            return
        if kind != b"jp2h":  # which holds others
            yield kind, data[position + 8 : position + length]
        position += 8 if kind == b"jp2h" else length


def _said(path: FilePath, boxes: Mapping[bytes, bytes]) -> tuple[dict[str, str], ColourTags]:
    colour = boxes.get(b"colr", b"")
    if colour[:1] == b"\1" and len(colour) >= 7:
        space = int.from_bytes(colour[3:7], "big")
        if space in _WORDS:
            raise UnreadableFile(path, f"is in {_WORDS[space]}. Convert it to RGB.")
        return {}, ColourTags("BT.709", "sRGB", "RGB", "full") if space in (_SRGB, _GREY) else ColourTags()
    if colour[:1] == b"\2":
        profile = read_profile(colour[3:])
        return {"ICC profile": profile.sentence()}, profile.tags
    return {}, ColourTags()


JPEG2000 = Container("JPEG 2000", (".jp2", ".j2k", ".j2c", ".jpx"), (FILE, STREAM), (), read)
