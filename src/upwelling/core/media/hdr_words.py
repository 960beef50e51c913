"""Mastering display and light levels as H.265 and MP4 carry them: SEI messages in the stream, boxes in the container.

Sources: ITU-T H.265 (2021), 7.3.1 (NAL units, emulation prevention), D.2.28 and D.2.35 (the two messages); ISO/IEC
14496-12:2022, 12.1.5 (the boxes “mdcv” and “clli”, in the same units and order).
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

from upwelling.core.outputs.mastering import NITS_STEP, XY_STEP, LightLevel, MasteringDisplay

_PREFIX_SEI = 39
_MASTERING, _LIGHT_LEVEL = 137, 144
_HOLDERS = (b"moov", b"trak", b"mdia", b"minf", b"stbl", b"stsd", b"hvc1", b"hev1")
_INSIDE = {b"stsd": 8, b"hvc1": 78, b"hev1": 78}
"""Bytes between a box's header and the boxes it holds."""


@dataclass(frozen=True)
class HdrWords:
    """The payloads, ready for either place."""

    mastering: bytes
    light_level: bytes

    @classmethod
    def of(cls, display: MasteringDisplay, level: LightLevel) -> HdrWords:
        """Chromaticities in steps of 0.00002 as green, blue, red, white; luminances in steps of 0.0001 cd/m²; light
        levels in whole cd/m², rounded up and held to 16 bits.
        """
        places = [round(v / XY_STEP) for xy in (display.green, display.blue, display.red, display.white) for v in xy]
        lights = [round(v / NITS_STEP) for v in (display.peak_nits, display.black_nits)]
        levels = [min(int(v), 65535) for v in level.coded().split(",")]
        return cls(struct.pack(">8H2I", *places, *lights), struct.pack(">2H", *levels))

    def sei(self) -> bytes:
        """One prefix SEI NAL unit that holds both messages."""
        body = b"".join(
            bytes((kind, len(payload))) + payload
            for kind, payload in ((_MASTERING, self.mastering), (_LIGHT_LEVEL, self.light_level))
        )
        return bytes((_PREFIX_SEI << 1, 1)) + escaped(body + b"\x80")

    def in_picture(self, packet: bytes) -> bytes:
        """A coded picture, its NAL units led by four bytes of length, with the message before its first slice."""
        at = 0
        while at + 5 <= len(packet):
            (size,) = struct.unpack_from(">I", packet, at)
            if packet[at + 4] >> 1 & 63 < 32:
                break
            at += 4 + size
        unit = self.sei()
        return packet[:at] + struct.pack(">I", len(unit)) + unit + packet[at:]

    def in_container(self, data: bytes) -> bytes:
        """The bytes of a “moov” box with “mdcv” and “clli” at the end of its H.265 sample entry."""
        boxes = _box(b"mdcv", self.mastering) + _box(b"clli", self.light_level)
        return _added(data, boxes)


def escaped(body: bytes) -> bytes:
    """With emulation prevention: 3 after two zeros where 0 to 3 would follow."""
    out, zeros = bytearray(), 0
    for byte in body:
        if zeros >= 2 and byte <= 3:
            out.append(3)
            zeros = 0
        out.append(byte)
        zeros = zeros + 1 if byte == 0 else 0
    return bytes(out)


def _box(name: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body) + 8) + name + body


def _added(data: bytes, boxes: bytes) -> bytes:
    """A run of boxes, with more at the end of each H.265 sample entry in it."""
    out, at = b"", 0
    while at + 8 <= len(data):
        size, name = struct.unpack_from(">I4s", data, at)
        if size < 8 or at + size > len(data):
            break
        body = data[at + 8 : at + size]
        if name in _HOLDERS:
            skip = _INSIDE.get(name, 0)
            body = body[:skip] + _added(body[skip:], boxes) + (boxes if name in (b"hvc1", b"hev1") else b"")
        out += _box(name, body)
        at += size
    return out + data[at:]
