"""PNG, 8 and 16 bit."""

from __future__ import annotations

import struct
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import imagecodecs

from upwelling.core.errors import UnreadableFile
from upwelling.core.files import whole_file
from upwelling.core.media.base import Container, Depth, Still, check_size, finish, quantise


def read(path: Path) -> Still:
    """Reads a PNG; palettes and interlacing are resolved by the codec."""
    data = path.read_bytes()
    if len(data) < 33 or data[12:16] != b"IHDR":
        raise UnreadableFile(path, "the file ends inside its header. Copy it again from the source.")
    width, height, bits, kind = struct.unpack(">IIBB", data[16:26])
    check_size(path, width, height)
    if b"IEND" not in data[-64:]:
        raise UnreadableFile(path, "the file is cut short (its end mark is missing). Copy it again from the source.")
    try:
        pixels = imagecodecs.png_decode(data)
    except (imagecodecs.PngError, ValueError, RuntimeError) as error:
        raise UnreadableFile(path, f"is damaged ({str(error)[:80]}). Copy it again from the source.") from None
    notes = ["Palette colours, read as RGB."] if kind == 3 else []
    metadata = _chunks(data)
    return finish(path, pixels, "PNG", "16" if bits == 16 else "8", metadata, notes)


def _chunks(data: bytes) -> dict[str, str]:
    """What the colour chunks before the pixels say (PNG third edition, section 11.3.2)."""
    said, position = {}, 8
    while position + 8 <= len(data):
        length, kind = struct.unpack(">I4s", data[position:position + 8])
        body = data[position + 8:position + 8 + length]
        if kind == b"IDAT":
            break
        if kind == b"sRGB":
            said["sRGB chunk"] = "yes"
        elif kind == b"gAMA" and length == 4:
            said["gAMA"] = f"{struct.unpack('>I', body)[0] / 100000:.5f}"
        elif kind == b"cICP" and length == 4:
            said["cICP"] = " ".join(str(v) for v in body)
        elif kind == b"iCCP":
            said["ICC profile"] = body.split(b"\0")[0].decode("latin-1")[:80]
        position += 12 + length
    return said


def encode(levels: Any, level: int = 4) -> bytes:
    """PNG bytes of integer levels (H, W, 3), uint8 or uint16."""
    return bytes(imagecodecs.png_encode(levels, level=level))


def write(path: Path, code: Any, depth: Depth, tags: Mapping[str, Any]) -> None:
    """Writes 8 or 16 bit."""
    data = encode(quantise(path, code, int(depth)))
    with whole_file(path) as temporary:
        temporary.write_bytes(data)


PNG = Container("PNG", (".png",), (b"\x89PNG\r\n\x1a\n",), ("8", "16"), read, write)
