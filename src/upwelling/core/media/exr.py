"""OpenEXR, half and float."""

from __future__ import annotations

import struct
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR

from upwelling.core.errors import UnreadableFile
from upwelling.core.files import whole_file
from upwelling.core.media.base import Container, Depth, Still, check_size, finish
from upwelling.core.primaries import Primaries


def read(path: Path) -> Still:
    """Reads R, G, B (or Y) of the first part; values are scene-linear by the format's definition."""
    notes: list[str] = []
    try:
        with OpenEXR.File(str(path), header_only=True) as file:
            header = dict(file.header())  # the library empties its own when the file closes
            low, high = header["dataWindow"]
            check_size(path, int(high[0]) - int(low[0]) + 1, int(high[1]) - int(low[1]) + 1)
        if _cut_short(path, int(high[1]) - int(low[1]) + 1):
            raise UnreadableFile(path, "the file is cut short. Copy it again from the source.")
        with OpenEXR.File(str(path), separate_channels=True) as file:
            channels = {name: np.array(channel.pixels) for name, channel in file.channels().items()}
    except UnreadableFile:
        raise
    except Exception as error:  # the library raises plain RuntimeError and others on damaged files
        raise UnreadableFile(path, f"is damaged or cut short ({_first_line(error)}). Copy it again from the source.") from None
    if {"R", "G", "B"} <= channels.keys():
        planes = [channels[c] for c in "RGB"]
        if "A" in channels:
            notes.append("The alpha channel is left out.")
    elif "Y" in channels and "RY" not in channels:
        planes = [channels["Y"]] * 3
        notes.append("A grey picture, read as three equal channels.")
    else:
        raise UnreadableFile(path, f"holds no R, G, B channels (found {', '.join(sorted(channels)) or 'none'}).")
    if len({plane.shape for plane in planes}) != 1:
        raise UnreadableFile(path, "its R, G and B channels differ in size; subsampled channels are not read.")
    metadata = {}
    if "chromaticities" in header:
        metadata["chromaticities"] = " ".join(f"{float(v):.5g}" for v in header["chromaticities"])
    depth: Depth = "half" if planes[0].dtype == np.float16 else "float"
    return finish(path, np.stack(planes, axis=-1).astype(np.float32), "OpenEXR", depth, metadata, notes)


# OpenEXR file layout, "scan line blocks": lines a block, by the value of the compression attribute.
_BLOCK_LINES = {0: 1, 1: 1, 2: 1, 3: 16, 4: 32, 5: 16, 6: 32, 7: 32, 8: 32, 9: 256}


def _cut_short(path: Path, height: int) -> bool:
    """True when a single-part scan line file lacks blocks; found before decoding, as the library prints as it fails."""
    data = path.read_bytes()
    position, lines = 8, 0
    if struct.unpack("<I", data[4:8])[0] & 0x1A00:  # tiled, deep or in parts
        return False
    while data[position:position + 1] != b"\0":
        kind_at = data.index(b"\0", position) + 1
        size_at = data.index(b"\0", kind_at) + 1
        size, = struct.unpack("<I", data[size_at:size_at + 4])
        if data[position:kind_at - 1] == b"compression":
            lines = _BLOCK_LINES.get(data[size_at + 4], 0)
        position = size_at + 4 + size
    if not lines:
        return False
    count = -(-height // lines)
    table = data[position + 1:position + 1 + 8 * count]
    if len(table) < 8 * count:
        return True
    last = max(struct.unpack(f"<{count}Q", table))
    return bool(last + 8 > len(data) or last + 8 + struct.unpack("<I", data[last + 4:last + 8])[0] > len(data))


def _first_line(error: Exception) -> str:
    return (str(error).strip().splitlines() or ["unreadable"])[-1][:80].rsplit("/", 1)[-1]


def write(path: Path, code: Any, depth: Depth, tags: Mapping[str, Any]) -> None:
    """Writes half or float, ZIP compressed; ``tags["primaries"]`` become the chromaticities attribute."""
    pixels = np.ascontiguousarray(code, dtype=np.float16 if depth == "half" else np.float32)
    header: dict[str, Any] = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    space = tags.get("primaries")
    if isinstance(space, Primaries):
        header["chromaticities"] = tuple(float(v) for xy in (*space.xy, space.white) for v in xy)
    with whole_file(path) as temporary:
        OpenEXR.File(header, {"RGB": pixels}).write(str(temporary))


EXR = Container("OpenEXR", (".exr",), (b"\x76\x2f\x31\x01",), ("half", "float"), read, write)
