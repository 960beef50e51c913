"""10-bit DPX. Source: SMPTE ST 268-1:2014 (formerly 268M-2003), header tables 1 to 4 and packing method A."""

from __future__ import annotations

import struct
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from upwelling.core.errors import UnreadableFile
from upwelling.core.files import whole_file
from upwelling.core.media.base import Container, Depth, Still, check_size, quantise

HEADER = 2048
DEVICE = 1556
"""Where the orientation header keeps the input device's name, 32 bytes."""
_RGB = 50
_TRANSFERS = {1: "printing density", 2: "linear", 3: "logarithmic", 6: "BT.709"}


def read(path: Path) -> Still:
    """Reads one 10-bit RGB element, packing method A or B, either byte order."""
    data = path.read_bytes()
    if len(data) < HEADER:
        raise UnreadableFile(path, "the file ends inside its header. Copy it again from the source.")
    order = ">" if data[:4] == b"SDPX" else "<"
    _, elements, width, height = struct.unpack(order + "HHII", data[768:780])
    descriptor, transfer, _, bits, packing, encoding, offset, line_padding = struct.unpack(order + "BBBBHHII", data[800:816])
    check_size(path, width, height)
    if elements != 1 or descriptor != _RGB:
        raise UnreadableFile(path, f"holds {elements} element(s) of kind {descriptor}; one RGB element (kind 50) is read.")
    if bits != 10 or packing not in (1, 2) or encoding != 0:
        raise UnreadableFile(path, f"{bits} bit with packing {packing}, encoding {encoding} is not read; use 10 bit, filled, "
                                   "without run-length encoding.")
    padding = 0 if line_padding == 0xFFFFFFFF else line_padding
    row = width * 4 + padding
    start = offset if offset != 0xFFFFFFFF else struct.unpack(order + "I", data[4:8])[0]
    if len(data) < start + row * height - padding:
        raise UnreadableFile(path, "the file is cut short. Copy it again from the source.")
    body = np.frombuffer(data, np.uint8, count=min(row * height, len(data) - start), offset=start)
    body = np.pad(body, (0, row * height - body.size)).reshape(height, row)[:, : width * 4]
    words = np.ascontiguousarray(body).view(order + "u4")
    shifts = (22, 12, 2) if packing == 1 else (20, 10, 0)
    code = np.stack([(words >> s) & 1023 for s in shifts], axis=-1).astype(np.float32) / np.float32(1023)
    metadata = {"transfer": _TRANSFERS.get(transfer, f"code {transfer}")}
    device = data[DEVICE:DEVICE + 32].split(b"\0")[0].decode("ascii", "ignore").strip()
    if device:
        metadata["model"] = device
    return Still(code, "DPX", "10", metadata, ())


def write(path: Path, code: Any, depth: Depth, tags: Mapping[str, Any]) -> None:
    """Writes 10-bit RGB, big-endian, packing method A; the transfer field says BT.709 or 0 (user defined)."""
    levels = quantise(path, code, 10).astype(np.uint32)
    height, width = levels.shape[:2]
    words = (levels[..., 0] << 22 | levels[..., 1] << 12 | levels[..., 2] << 2).astype(">u4")
    header = bytearray(b"\xff" * HEADER)
    total = HEADER + words.nbytes
    struct.pack_into(">4sI8sIIIII", header, 0, b"SDPX", HEADER, b"V2.0", total, 1, 1664, 384, 0)
    name = path.name.encode("utf-8")[:99]
    header[36:136] = name + b"\0" * (100 - len(name))
    header[160:260] = b"Upwelling" + b"\0" * 91
    struct.pack_into(">HHII", header, 768, 0, 1, width, height)
    device = str(tags.get("model", "")).encode("ascii", "ignore")[:31]
    header[DEVICE:DEVICE + 32] = device + b"\0" * (32 - len(device))
    transfer = 6 if tags.get("transfer") == "BT.709" else 0
    struct.pack_into(">IIfIf", header, 780, 0, 0, 0.0, 1023, 1.0)
    struct.pack_into(">BBBBHHIII", header, 800, _RGB, transfer, transfer, 10, 1, 0, HEADER, 0, 0)
    with whole_file(path) as temporary:
        temporary.write_bytes(bytes(header) + words.tobytes())


DPX = Container("DPX", (".dpx",), (b"SDPX", b"XPDS"), ("10",), read, write)
