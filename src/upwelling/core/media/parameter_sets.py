"""Where chroma sits, from the headers of H.264 and H.265 streams and of Matroska files, which the codec library keeps
to itself.

Sources: ITU-T H.264 (2021) 7.3.2.1.1 and annex E; ITU-T H.265 (2021) 7.3.2.2, 7.3.4, 7.3.7 and annex E; RFC 9559
(Matroska), 5.1.4.1.28.
"""

from __future__ import annotations

import re

from upwelling.core.media.ycbcr import SITINGS, Siting

_HIGH = (100, 110, 122, 244, 44, 83, 86, 118, 128, 138, 139, 134, 135)
_MATROSKA = {(1, 1): "top left", (1, 2): "left", (2, 2): "centre", (2, 1): "top"}


class _Bits:
    """Bits of a NAL unit's payload; reading past the end raises IndexError."""

    def __init__(self, data: bytes) -> None:
        self._data, self._at = re.sub(b"\x00\x00\x03", b"\x00\x00", data), 0

    def u(self, count: int) -> int:
        """An unsigned number of so many bits."""
        value = 0
        for _ in range(count):
            value = value << 1 | self._data[self._at >> 3] >> (7 - (self._at & 7)) & 1
            self._at += 1
        return value

    def ue(self) -> int:
        """An unsigned Exp-Golomb number."""
        zeros = 0
        while not self.u(1):
            zeros += 1
            if zeros > 32:
                raise IndexError
        return (1 << zeros) - 1 + self.u(zeros)

    def se(self) -> int:
        """A signed Exp-Golomb number."""
        value = self.ue()
        return (value + 1) // 2 if value % 2 else -(value // 2)


def chroma_place(codec: str, header: bytes) -> Siting | None:
    """The siting that the sequence parameter set in a header says, “left” where it leaves it to the standard, None
    where there is none.
    """
    for unit in _units(codec, header):
        try:
            if codec == "h264" and unit[0] & 31 == 7:
                return _h264(_Bits(unit[1:]))
            if codec == "hevc" and unit[0] >> 1 & 63 == 33:
                return _hevc(_Bits(unit[2:]))
        except IndexError:
            return None
    return None


def _units(codec: str, header: bytes) -> list[bytes]:
    """NAL units of a header in either of its forms: after start codes,
    or in a configuration record (ISO/IEC 14496-15).
    """
    if header[:3] == b"\0\0\1" or header[:4] == b"\0\0\0\1":
        return [unit for unit in re.split(b"\x00\x00\x01", header)[1:] if len(unit) > 4]
    found: list[bytes] = []
    if codec == "h264" and len(header) > 8:
        at, arrays = 6, [header[5] & 31]
    elif codec == "hevc" and len(header) > 24:
        at, arrays = 23, [0] * header[22]
    else:
        return []
    for count in arrays:
        if codec == "hevc":
            count, at = int.from_bytes(header[at + 1 : at + 3], "big"), at + 3
        for _ in range(count):
            size = int.from_bytes(header[at : at + 2], "big")
            found.append(header[at + 2 : at + 2 + size])
            at += 2 + size
    return [unit for unit in found if len(unit) > 4]


def _h264(bits: _Bits) -> Siting:
    profile = bits.u(8)
    bits.u(16)
    bits.ue()
    if profile in _HIGH:
        chroma = bits.ue()
        if chroma == 3:
            bits.u(1)
        bits.ue(), bits.ue(), bits.u(1)
        if bits.u(1):
            for number in range(12 if chroma == 3 else 8):
                if bits.u(1):
                    _skip_list(bits, 16 if number < 6 else 64)
    bits.ue()
    kind = bits.ue()
    if kind == 0:
        bits.ue()
    elif kind == 1:
        bits.u(1), bits.se(), bits.se()
        for _ in range(bits.ue()):
            bits.se()
    bits.ue(), bits.u(1), bits.ue(), bits.ue()
    if not bits.u(1):
        bits.u(1)
    bits.u(1)
    if bits.u(1):
        bits.ue(), bits.ue(), bits.ue(), bits.ue()
    return _usability(bits)


def _skip_list(bits: _Bits, size: int) -> None:
    last = following = 8
    for _ in range(size):
        if following:
            following = (last + bits.se() + 256) % 256
        last = following or last


def _usability(bits: _Bits) -> Siting:
    """The start of the video usability information, alike in both standards."""
    if not bits.u(1):
        return "left"
    if bits.u(1) and bits.u(8) == 255:
        bits.u(32)
    if bits.u(1):
        bits.u(1)
    if bits.u(1):
        bits.u(4)
        if bits.u(1):
            bits.u(24)
    if not bits.u(1):
        return "left"
    kind = bits.ue()
    return SITINGS[kind] if kind < len(SITINGS) else "left"


def _hevc(bits: _Bits) -> Siting:
    bits.u(4)
    layers = bits.u(3)
    bits.u(1 + 88 + 8)
    present = [(bits.u(1), bits.u(1)) for _ in range(layers)]
    if layers:
        bits.u(2 * (8 - layers))
    for profile, level in present:
        bits.u(88 * profile + 8 * level)
    bits.ue()
    if bits.ue() == 3:
        bits.u(1)
    bits.ue(), bits.ue()
    if bits.u(1):
        bits.ue(), bits.ue(), bits.ue(), bits.ue()
    bits.ue(), bits.ue()
    order = bits.ue() + 4
    for _ in range(layers + 1 if bits.u(1) else 1):
        bits.ue(), bits.ue(), bits.ue()
    for _ in range(6):
        bits.ue()
    if bits.u(1) and bits.u(1):
        _skip_hevc_lists(bits)
    bits.u(2)
    if bits.u(1):
        bits.u(8), bits.ue(), bits.ue(), bits.u(1)
    _skip_reference_sets(bits)
    if bits.u(1):
        for _ in range(bits.ue()):
            bits.u(order + 1)
    bits.u(2)
    return _usability(bits)


def _skip_hevc_lists(bits: _Bits) -> None:
    for size in range(4):
        for _ in range(0, 6, 3 if size == 3 else 1):
            if not bits.u(1):
                bits.ue()
                continue
            if size > 1:
                bits.se()
            for _ in range(min(64, 1 << (4 + (size << 1)))):
                bits.se()


def _skip_reference_sets(bits: _Bits) -> None:
    sizes: list[int] = []
    for number in range(bits.ue()):
        if number and bits.u(1):
            bits.u(1), bits.ue()
            size = 0
            for _ in range(sizes[-1] + 1):
                used = bits.u(1)
                size += 1 if used or bits.u(1) else 0
        else:
            before, after = bits.ue(), bits.ue()
            size = before + after
            for _ in range(size):
                bits.ue(), bits.u(1)
        sizes.append(size)


def matroska_place(head: bytes) -> Siting | None:
    """ChromaSitingHorz and ChromaSitingVert of a Matroska file's first track with both."""
    across, down = re.search(b"\x55\xb7\x81([\x00-\x02])", head), re.search(b"\x55\xb8\x81([\x00-\x02])", head)
    if across is None or down is None:
        return None
    return _MATROSKA.get((across[1][0], down[1][0]))  # type: ignore[return-value]
