"""What a frame of a raw run says of its time: rate, timecode and reel.

Source: Adobe, Digital Negative Specification 1.7.1.0 (2023), TimeCodes (51043), FrameRate (51044) and ReelName (51081);
the order of a timecode's bytes, frames first, is SMPTE ST 331:2011, 8.2.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

TIMECODES, RATE, REEL = 51043, 51044, 51081


def time_said(tags: Any) -> dict[str, str]:
    """“frame rate”, “timecode” and “reel”, those that are said and can be."""
    found: dict[str, str] = {}
    rate = tags.valueof(RATE, None)
    if isinstance(rate, tuple) and len(rate) == 2 and rate[1] and 1 <= rate[0] / rate[1] <= 1000:
        found["frame rate"] = str(rate[0] / rate[1])
    code = tags.valueof(TIMECODES, None)
    if code is not None and (label := _label(list(bytes(code))[:8])):
        found["timecode"] = label
    reel = tags.valueof(REEL, None)
    if isinstance(reel, bytes):
        reel = reel.decode("utf-8", "replace")
    if reel and str(reel).strip("\0 "):
        found["reel"] = str(reel).strip("\0 ")[:60]
    return found


def _label(code: Sequence[int]) -> str:
    """Of eight bytes: frames, seconds, minutes, hours as two digits of four bits each, then user bits."""
    if len(code) < 4 or not any(code[:8]):
        return ""
    parts = [(byte >> 4 & most) * 10 + (byte & 15) for byte, most in zip(code[:4], (3, 7, 7, 3), strict=True)]
    if any(byte & 15 > 9 for byte in code[:4]) or parts[3] > 23 or max(parts[1:3]) > 59:
        return ""
    frames, seconds, minutes, hours = parts
    return f"{hours:02}:{minutes:02}:{seconds:02}{';' if code[0] & 64 else ':'}{frames:02}"


def coded(label: str) -> bytes:
    """The eight bytes of a label; no user bits."""
    hours, minutes, seconds, frames = (int(label[at : at + 2]) for at in (0, 3, 6, 9))
    first, *rest = (value // 10 << 4 | value % 10 for value in (frames, seconds, minutes, hours))
    return bytes([first | (64 if label[8] == ";" else 0), *rest, 0, 0, 0, 0])
