"""Pairs of code and light from text, as a technician pastes them."""

from __future__ import annotations

import math
import re

from upwelling.core.errors import BadValue

MOST_PAIRS = 65536


def parse_pairs(text: str, code_top: float = 1.0) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Codes (divided by ``code_top``) and light of lines “code, light”; commas, semicolons, tabs or spaces between.

    Empty lines, lines that begin with # and one line of headings are passed over. Raises BadValue with the line.
    """
    if not code_top > 0:
        raise BadValue("The code scale is the code that stands for 1.0, such as 1 or 1023; it must be above 0.")
    codes: list[float] = []
    light: list[float] = []
    for number, raw in enumerate(text.splitlines(), 1):
        line = raw.strip()
        if not line or line.startswith("#"):
            continue
        parts = [part for part in re.split(r"[,;\s]+", line) if part]
        try:
            values = [float(part) for part in parts]
        except ValueError:
            if not codes:
                continue
            raise BadValue(f"Line {number} of the table, “{line[:40]}”, is not two numbers.") from None
        if len(values) != 2:
            raise BadValue(f"Line {number} of the table has {len(values)} numbers; a code and its light are needed.")
        if not all(map(math.isfinite, values)):
            raise BadValue(f"Line {number} of the table, “{line[:40]}”, holds a number that is not finite.")
        codes.append(values[0] / code_top)
        light.append(values[1])
        if len(codes) > MOST_PAIRS:
            raise BadValue(f"The table has more than {MOST_PAIRS} lines.")
    if len(codes) < 4:
        raise BadValue(f"The table has {len(codes)} pairs; at least four are needed.")
    order = sorted(range(len(codes)), key=lambda i: codes[i])
    return tuple(codes[i] for i in order), tuple(light[i] for i in order)
