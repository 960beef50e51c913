"""JSON from outside, read with limits: size, depth and count before anything is built of it, numbers that are finite,
text that can be stored.

Source: RFC 8259, sections 6 to 9 (no NaN or infinities; limits are the reader's to set) and RFC 7493, 2.1 (no lone
surrogates).
"""

from __future__ import annotations

import json
import math
import re
from typing import Any

DEEPEST = 40
"""Arrays and objects inside each other; our own documents nest 12 deep."""
MOST_DIGITS = 20
"""Digits of a whole number; 2^64 has 20."""
_BRACKETS = re.compile(rb'"(?:[^"\\]++|\\.)*+"?|[\[\]{},]', re.DOTALL)


class BadJson(ValueError):
    """What is wrong with a JSON text, as the end of a sentence that names it."""


def read_json(data: bytes | str, *, largest: int, most: int) -> Any:
    """The value of a JSON text of at most ``largest`` bytes with at most ``most`` members and entries in all; raises
    BadJson.
    """
    raw = data.encode("utf-8", "surrogatepass") if isinstance(data, str) else data
    if len(raw) > largest:
        raise BadJson(f"is larger than {_bytes(largest)}")
    _count(raw, most)
    try:
        text = raw.decode("utf-8-sig")
        value = json.loads(text, parse_int=_whole, parse_float=_finite, parse_constant=_no_constant)
    except UnicodeDecodeError:
        raise BadJson("is not UTF-8 text") from None
    except json.JSONDecodeError as error:
        raise BadJson(f"is not JSON (line {error.lineno}, column {error.colno}: {error.msg})") from None
    if b"\\u" in raw:
        try:
            json.dumps(value, ensure_ascii=False).encode()
        except UnicodeEncodeError:
            raise BadJson("holds half of a surrogate pair, which is no character") from None
    return value


def _count(raw: bytes, most: int) -> None:
    """Refuses what nests too deep or holds too much, before objects are made of it."""
    depth = entries = 0
    for found in _BRACKETS.finditer(raw):
        one = raw[found.start()]
        if one in b"[{":
            depth += 1
            entries += 1
            if depth > DEEPEST:
                raise BadJson(f"nests more than {DEEPEST} levels deep")
        elif one in b"]}":
            depth -= 1
        else:  # a text, or a comma
            entries += 1
        if entries > most:
            raise BadJson(f"holds more than {most} values")


def _whole(digits: str) -> int:
    if len(digits.lstrip("-")) > MOST_DIGITS:
        raise BadJson(f"holds a number of more than {MOST_DIGITS} digits")
    return int(digits)


def _finite(text: str) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise BadJson("holds a number that is not finite")
    return value


def _no_constant(text: str) -> float:
    raise BadJson(f"holds {text}, which is no number")


def _bytes(count: int) -> str:
    return f"{count // 2**20} MiB" if count >= 2**20 else f"{count // 1024} KiB"
