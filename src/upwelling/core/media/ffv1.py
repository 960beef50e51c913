"""The checksums of FFV1, which the codec library only prints a line about."""

from __future__ import annotations

import zlib

_MIRRORED = bytes(int(f"{value:08b}"[::-1], 2) for value in range(256))


def sums_are_right(packet: bytes) -> bool:
    """True when every slice of an FFV1 packet ends in its size and a CRC that fits. Source: RFC 9043, 4.9 (slice
    footer).
    """
    end, footer = len(packet), 8
    while end > 0:
        size = int.from_bytes(packet[end - footer : end - footer + 3], "big") + footer if end >= footer else 0
        if not footer < size <= end:
            return False
        # RFC 9043's CRC takes the highest bit first and starts at 0; zlib's takes the lowest first and is turned over
        # at both ends.
        if zlib.crc32(packet[end - size : end].translate(_MIRRORED), 0xFFFFFFFF) != 0xFFFFFFFF:
            return False
        end -= size
    return True
