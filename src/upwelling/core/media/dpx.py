"""DPX of 8, 10, 12 and 16 bit. Source: SMPTE ST 268-1:2014 (formerly 268M-2003), header tables 1 to 5 and annex C
(packing).
"""

from __future__ import annotations

import math
import re
import struct
from collections.abc import Mapping
from pathlib import Path as FilePath
from typing import Any

import numpy as np

from upwelling.core.errors import UnreadableFile
from upwelling.core.files import whole_file
from upwelling.core.media.base import Container, Depth, Still, check_size, finish, quantise
from upwelling.core.media.dpx_kernel import unpack_tens
from upwelling.core.media.own_mark import said_by, words_for
from upwelling.core.media.tags import ColourTags
from upwelling.core.media.timecode import from_bcd

HEADER = 2048
PROJECT = 260
"""Where the file header keeps the project's name, 200 bytes."""
DEVICE = 1556
"""Where the orientation header keeps the input device's name, 32 bytes."""
_RATES = (1724, 1940)
"""Frame rates of the film header and of the television header."""
TIMECODE = 1920
"""Where the television header keeps the timecode, eight decimal digits in a word."""
_ELEMENTS = {6: 1, 50: 3, 51: 4, 52: 4}
"""Descriptor and its channels: luma, RGB, RGBA, ABGR."""
_TRANSFERS = {1: "printing density", 2: "linear", 3: "logarithmic", 6: "BT.709"}
_NAMES = {
    1: "red alone",
    2: "green alone",
    3: "blue alone",
    4: "alpha alone",
    7: "colour difference alone",
    8: "depth",
    9: "composite video",
    100: "CbYCrY (4:2:2)",
    101: "CbYACrYA (4:2:2)",
    102: "CbYCr (4:4:4)",
    103: "CbYCrA (4:4:4)",
}
_TURNS = {1: "mirrored top to bottom", 2: "mirrored left to right", 3: "turned by 180°"}


def read(path: FilePath) -> Still:
    """Reads the RGB or luma element, filled or packed, either byte order."""
    data = path.read_bytes()
    if len(data) < HEADER:
        raise UnreadableFile(path, "the file ends inside its header. Copy it again from the source.")
    order = ">" if data[:4] == b"SDPX" else "<"
    turn, elements, width, height = struct.unpack(order + "HHII", data[768:780])
    (sign,) = struct.unpack(order + "I", data[780:784])
    descriptor, transfer, _, bits, packing, encoding, offset, line_padding = struct.unpack(
        order + "BBBBHHII", data[800:816]
    )
    check_size(path, width, height)
    if elements != 1 or descriptor not in _ELEMENTS:
        kind = _NAMES.get(descriptor, f"kind {descriptor}")
        raise UnreadableFile(path, f"holds {elements} element(s) of {kind}; one of RGB, RGBA, ABGR or luma is read.")
    if bits not in (8, 10, 12, 16) or packing not in (0, 1, 2) or encoding != 0 or sign == 1:
        raise UnreadableFile(
            path,
            f"{bits} bit{' with sign' if sign == 1 else ''}, packing {packing}, encoding {encoding} is not read; use "
            "8, 10, 12 or 16 bit without run-length encoding.",
        )
    start = offset if offset != 0xFFFFFFFF else struct.unpack(order + "I", data[4:8])[0]
    padding = 0 if line_padding == 0xFFFFFFFF else line_padding
    values = _values(
        path, data, start, padding, order, (height, width * _ELEMENTS[descriptor]), bits, packing, _ELEMENTS[descriptor]
    )
    pixels = values.reshape(height, width, -1)
    if descriptor == 52:
        pixels = pixels[..., ::-1]
    notes: list[str] = []
    if turn in _TURNS:
        notes.append(f"The file asks to be shown {_TURNS[turn]}; it is worked on as recorded.")
    elif 4 <= turn <= 7:
        notes.append("The file asks to be shown turned by a quarter; it is worked on as recorded.")
    depth: Depth = {8: "8", 10: "10", 12: "12"}.get(bits, "16")  # type: ignore[assignment]
    metadata = _metadata(data[:start], order, transfer)
    said = metadata["transfer"]
    tags = ColourTags(transfer=said) if said in ("BT.709", "linear", "printing density") else ColourTags()
    return finish(
        path,
        pixels.astype(np.uint8 if bits == 8 else np.uint16, copy=False),
        "DPX",
        depth,
        metadata,
        notes,
        bits=bits,
        tags=tags,
    )


def _values(
    path: FilePath,
    data: bytes,
    start: int,
    padding: int,
    order: str,
    shape: tuple[int, int],
    bits: int,
    packing: int,
    channels: int,
) -> Any:
    """The numbers of every line (lines, values), whatever their packing; raises UnreadableFile when the file is too
    short.
    """
    count = shape[1]
    if bits == 10 and packing:
        row = 4 * -(-count // 3)
    elif bits == 16 or (bits == 12 and packing):
        row = 2 * count
    else:
        row = 4 * -(-count * bits // 32)
    row = row + padding if bits != 8 or packing == 0 else count + padding
    if (
        len(data) < start + row * shape[0] - padding
        and bits == 8
        and len(data) >= start + (count + padding) * shape[0] - padding
    ):
        row = count + padding  # many writers pack 8 bit lines end to end
    if len(data) < start + row * shape[0] - padding:
        raise UnreadableFile(path, "the file is cut short. Copy it again from the source.")
    body = np.frombuffer(data, np.uint8, count=min(row * shape[0], len(data) - start), offset=start)
    missing = row * shape[0] - body.size  # the last line's padding
    lines = (np.pad(body, (0, missing)) if missing else body).reshape(shape[0], row)
    if bits == 8:
        return lines[:, :count]
    if bits == 16 or (bits == 12 and packing):
        values = np.ascontiguousarray(lines[:, : 2 * count]).view(order + "u2")
        return values >> 4 if bits == 12 and packing == 1 else values
    words = np.ascontiguousarray(lines[:, : (row - padding) // 4 * 4]).view(order + "u4")
    if bits == 10 and packing:
        # Three values fill a word from the top in RGB, from the bottom where one channel runs on.
        shifts = (22, 12, 2) if channels > 1 else (2, 12, 22)
        shifts = shifts if packing == 1 else tuple(s - 2 for s in shifts)  # type: ignore[assignment]
        words = words.astype("=u4", copy=False)
        values = np.empty((*words.shape, 3), np.uint16)
        unpack_tens(words.reshape(-1), *(np.uint32(by) for by in shifts), values.reshape(-1, 3))
        return values.reshape(shape[0], -1)[:, :count]
    words = words.astype(np.uint64)
    at = np.arange(count, dtype=np.uint64) * np.uint64(bits)
    word, shift = (at >> np.uint64(5)).astype(np.int64), at & np.uint64(31)
    following = np.minimum(word + 1, words.shape[1] - 1)
    joined = words[:, word] | words[:, following] << np.uint64(32)
    return (joined >> shift) & np.uint64(2**bits - 1)


def _metadata(header: bytes, order: str, transfer: int) -> dict[str, str]:
    """What the header says; some end before the film or television part, and pictures begin there."""
    data = header.ljust(HEADER, b"\xff")
    metadata = {"transfer": _TRANSFERS.get(transfer, f"code {transfer}")}
    device = data[DEVICE : DEVICE + 32].split(b"\0")[0].decode("ascii", "ignore").strip()
    if device:
        metadata["model"] = device
    for place in _RATES:
        (rate,) = struct.unpack(order + "f", data[place : place + 4])
        if math.isfinite(rate) and 1 <= rate <= 1000:
            metadata["frame rate"] = f"{rate:g}"
            break
    label = from_bcd(struct.unpack(order + "I", data[TIMECODE : TIMECODE + 4])[0])
    # Midnight is what a header of zeros says, where nobody filled it in.
    if label and label != "00:00:00:00":
        metadata["timecode"] = label
    metadata.update(said_by(data[PROJECT : PROJECT + 200].split(b"\0")[0].decode("utf-8", "ignore")))
    return metadata


def write(path: FilePath, code: Any, depth: Depth, tags: Mapping[str, Any]) -> None:
    """Writes 10- or 12-bit RGB, big-endian, filled by method A: three tens in a word, or a twelve in the upper bits of
    16; the transfer field says BT.709 or 0 (user defined), the project name the encoding.
    """
    bits = int(depth)
    levels = quantise(path, code, bits).astype(np.uint32)
    height, width = levels.shape[:2]
    if bits == 12:
        words = (levels << 4).astype(">u2")
    else:
        words = (levels[..., 0] << 22 | levels[..., 1] << 12 | levels[..., 2] << 2).astype(">u4")
    header = bytearray(b"\xff" * HEADER)
    total = HEADER + words.nbytes
    struct.pack_into(">4sI8sIIIII", header, 0, b"SDPX", HEADER, b"V2.0", total, 1, 1664, 384, 0)
    name = path.name.encode("utf-8")[:99]
    header[36:136] = name + b"\0" * (100 - len(name))
    header[160:260] = b"Upwelling" + b"\0" * 91
    project = words_for(tags).encode("utf-8")[:199]
    header[PROJECT : PROJECT + 200] = project + b"\0" * (200 - len(project))
    struct.pack_into(">HHII", header, 768, 0, 1, width, height)
    device = str(tags.get("model", "")).encode("ascii", "ignore")[:31]
    header[DEVICE : DEVICE + 32] = device + b"\0" * (32 - len(device))
    transfer = 6 if tags.get("transfer") == "BT.709" else 0
    struct.pack_into(">IIfIf", header, 780, 0, 0, 0.0, 2**bits - 1, 1.0)
    struct.pack_into(">BBBBHHIII", header, 800, _RGB, transfer, transfer, bits, 1, 0, HEADER, 0, 0)
    if rate := tags.get("rate"):
        for place in _RATES:
            struct.pack_into(">f", header, place, float(rate))
    digits = re.sub(r"\D", "", str(tags.get("timecode", "")))
    if len(digits) == 8:
        struct.pack_into(">I", header, TIMECODE, int(digits, 16))
    with whole_file(path) as temporary:
        temporary.write_bytes(bytes(header) + words.tobytes())


_RGB = 50
DPX = Container("DPX", (".dpx",), (b"SDPX", b"XPDS"), ("12", "10"), read, write)
