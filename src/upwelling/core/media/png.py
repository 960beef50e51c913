"""PNG, 1 to 16 bit. Source: W3C, Portable Network Graphics, third edition (2025), chunks by name."""

from __future__ import annotations

import io
import struct
import zlib
from collections.abc import Iterator, Mapping
from pathlib import Path as FilePath
from typing import Any

import imagecodecs
import tifffile

from upwelling.core.colour.primaries import named_by
from upwelling.core.errors import UnreadableFile
from upwelling.core.files import whole_file
from upwelling.core.media.base import Container, Depth, Still, check_size, finish, note_orientation, quantise
from upwelling.core.media.icc import LARGEST, read_profile
from upwelling.core.media.own_mark import said_by, words_for
from upwelling.core.media.tags import SAID_AS, ColourTags, numbers


def read(path: FilePath) -> Still:
    """Reads a PNG; palettes and interlacing are resolved by the codec."""
    data = path.read_bytes()
    if len(data) < 33 or data[12:16] != b"IHDR":
        raise UnreadableFile(path, "the file ends inside its header. Copy it again from the source.")
    width, height, bits, colours = struct.unpack(">IIBB", data[16:26])
    check_size(path, width, height)
    end = next((after for kind, _, after in _chunks(data) if kind == b"IEND" and after <= len(data)), 0)
    if not end:
        raise UnreadableFile(path, "the file is cut short (its end mark is missing). Copy it again from the source.")
    try:
        pixels = imagecodecs.png_decode(data[:end])
    except (imagecodecs.PngError, ValueError, RuntimeError) as error:
        raise UnreadableFile(path, f"is damaged ({str(error)[:80]}). Copy it again from the source.") from None
    notes = ["Palette colours, read as RGB."] if colours == 3 else []
    if end < len(data):
        notes.append(f"{len(data) - end} bytes follow its end and are left out.")
    metadata, tags = _said(data[:end], notes)
    return finish(path, pixels, "PNG", "16" if bits == 16 else "8", metadata, notes, tags=tags)


def _chunks(data: bytes) -> Iterator[tuple[bytes, bytes, int]]:
    """Name, body, and where what follows begins; the last may be cut short."""
    position = 8
    while position + 8 <= len(data):
        length, kind = struct.unpack(">I4s", data[position : position + 8])
        body, position = data[position + 8 : position + 8 + length], position + 12 + length
        yield kind, body, position


def _said(data: bytes, notes: list[str]) -> tuple[dict[str, str], ColourTags]:
    """What the chunks say, and the tags that follow:
    cICP before iCCP before sRGB before gAMA and cHRM (section 4.3).
    """
    said: dict[str, str] = {}
    found: dict[str, ColourTags] = {}
    for kind, body, _ in _chunks(data):
        if kind == b"sRGB":
            said["sRGB chunk"] = "yes"
            found["sRGB"] = ColourTags("BT.709", "sRGB", "RGB", "full")
        elif kind == b"gAMA" and len(body) == 4:
            said["gAMA"] = f"{struct.unpack('>I', body)[0] / 100000:.5f}"
        elif kind == b"cHRM" and len(body) == 32:
            white_red_green_blue = [v / 100000 for v in struct.unpack(">8I", body)]
            said["chromaticities"] = " ".join(
                f"{v:.5g}" for v in (*white_red_green_blue[2:], *white_red_green_blue[:2])
            )
        elif kind == b"cICP" and len(body) == 4:
            said["cICP"] = " ".join(str(v) for v in body)
            found["cICP"] = ColourTags.of_numbers(body[0], body[1], body[2], 2 if body[3] else 1)
        elif kind == b"iCCP":
            said["ICC profile"], found["iCCP"] = _profile(body)
        elif kind == b"acTL":
            notes.append("An animation; its first picture is read.")
        elif kind == b"eXIf":
            note_orientation(_orientation(body), notes)
        elif kind == b"tEXt" and b"\0" in body:
            key, text = body.split(b"\0", 1)
            said.setdefault(key.decode("latin-1")[:40].lower(), text.decode("latin-1")[:200])
    said.update(said_by(said.get("description", "")))
    found["gAMA"] = _of_gamma(said)
    return said, next((found[name] for name in ("cICP", "iCCP", "sRGB", "gAMA") if name in found), ColourTags())


def _profile(body: bytes) -> tuple[str, ColourTags]:
    name, _, rest = body.partition(b"\0")
    try:
        profile = read_profile(zlib.decompressobj().decompress(rest[1:], LARGEST))
    except zlib.error:
        return f"ICC profile “{name.decode('latin-1')[:60]}”: it is damaged; it is not used.", ColourTags()
    return profile.sentence(), profile.tags


def _of_gamma(said: dict[str, str]) -> ColourTags:
    """gAMA of 1 ÷ 2.2 and near it is what programs write for sRGB; only 1 and other known powers mean what they say."""
    gamma = float(said.get("gAMA", 0))
    known = {1.0: "linear", round(1 / 2.6, 5): "gamma 2.6", round(1 / 2.4, 5): "gamma 2.4", 0.45455: "gamma 2.2"}
    curve = next((name for value, name in known.items() if abs(value - gamma) < 2e-4), "")
    values = [float(v) for v in said.get("chromaticities", "").split()]
    return ColourTags(named_by(values), curve, "RGB" if curve else "", "full" if curve else "")


def _orientation(exif: bytes) -> object:
    try:
        with tifffile.TiffFile(io.BytesIO(exif)) as file:
            return file.pages[0].tags.valueof(274, None)
    except Exception:  # damaged EXIF tells nothing; the picture is still whole
        return None


def encode(levels: Any, level: int = 4) -> bytes:
    """PNG bytes of integer levels (H, W, 3), uint8 or uint16."""
    return bytes(imagecodecs.png_encode(levels, level=level))


def write(path: FilePath, code: Any, depth: Depth, tags: Mapping[str, Any]) -> None:
    """Writes 8 or 16 bit; what H.273 has numbers for stands in a cICP chunk, the encoding in words beside it. With a
    profile (``icc``) that stands alone, as a cICP beside it would be believed instead (PNG 3rd edition, 4.3).
    """
    data = encode(quantise(path, code, int(depth)))
    extra = b""
    space = tags.get("primaries")
    full = tags.get("range", "full") == "full"
    primaries, transfer, _, _ = numbers(
        ColourTags(getattr(space, "name", ""), SAID_AS.get(str(tags.get("transfer")), str(tags.get("transfer", ""))))
    )
    if tags.get("icc"):
        extra += _chunk(b"iCCP", b"profile\0\0" + zlib.compress(tags["icc"]))
    elif primaries != 2 and transfer != 2:
        extra += _chunk(b"cICP", bytes((primaries, transfer, 0, int(full))))
    if words_for(tags):
        extra += _chunk(b"tEXt", b"Description\0" + words_for(tags).encode("latin-1", "replace"))
    with whole_file(path) as temporary:
        temporary.write_bytes(data[:33] + extra + data[33:])


def _chunk(kind: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))


PNG = Container("PNG", (".png",), (b"\x89PNG\r\n\x1a\n",), ("8", "16"), read, write)
