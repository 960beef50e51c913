"""Rows of three numbers to and from text, fast: text is the slowest part of writing and reading a table."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.kernels import serial

DECIMALS = 7
LONGEST_ROW = 3 * (1 + 10 + 1 + DECIMALS + 1)
LARGEST_VALUE = 9.0e9
"""Values from here on are written by ``str.format`` instead."""


@serial
def parse_rows(text: Any, start: int, rows: Any) -> Any:
    """Reads rows of exactly three numbers from bytes (uint8) into rows (N, 3) float64.

    Gives (rows read, position): the position is the text's end when all of it was understood, else the start of the
    first line that was not (a comment, another count, a word, or more rows than there is room for). Blank lines are
    passed over.
    """
    end, place, count = text.size, start, 0
    powers = np.empty(330)
    for k in range(330):
        powers[k] = 10.0 ** k if k < 309 else np.inf
    while place < end:
        line_start, found = place, 0
        while place < end and text[place] != 10:
            c = text[place]
            if c == 32 or c == 9 or c == 13:
                place += 1
                continue
            if found == 3 or count >= rows.shape[0]:
                return count, line_start
            negative = False
            if c == 45 or c == 43:
                negative = c == 45
                place += 1
            mantissa, digits, seen, scale, point = np.uint64(0), 0, 0, 0, False
            while place < end:
                c = text[place]
                if c == 46 and not point:
                    point = True
                elif 48 <= c <= 57:
                    seen += 1
                    if digits < 18:
                        mantissa = mantissa * np.uint64(10) + np.uint64(c - 48)
                        digits += 1 if mantissa > 0 else 0
                        scale -= 1 if point else 0
                    elif not point:
                        scale += 1
                else:
                    break
                place += 1
            if seen == 0:
                return count, line_start
            if place < end and (text[place] == 101 or text[place] == 69):
                place += 1
                below, power, some = False, 0, 0
                if place < end and (text[place] == 45 or text[place] == 43):
                    below = text[place] == 45
                    place += 1
                while place < end and 48 <= text[place] <= 57:
                    power = min(power * 10 + text[place] - 48, 9999)
                    some += 1
                    place += 1
                if some == 0:
                    return count, line_start
                scale += -power if below else power
            if place < end and text[place] != 32 and text[place] != 9 and text[place] != 13 and text[place] != 10:
                return count, line_start
            value = float(mantissa)
            if scale > 0:
                value = value * powers[min(scale, 329)] if mantissa > 0 else 0.0
            elif scale < 0:
                value = value / powers[-scale] if scale > -309 else 0.0
            if not value < 3e38:
                return count, line_start
            rows[count, found] = -value if negative else value
            found += 1
        if found == 3:
            count += 1
        elif found:
            return count, line_start
        place += 1
    return count, end


@serial
def format_rows(values: Any, out: Any) -> int:
    """Writes values (N, 3) float64, each below LARGEST_VALUE, with seven decimals into out (uint8); gives the bytes
    written.
    """
    place = 0
    digits = np.empty(24, np.uint8)
    for i in range(values.shape[0]):
        for c in range(3):
            value = values[i, c]
            scaled = np.int64(np.rint(abs(value) * 1e7))
            if value < 0 and scaled > 0:
                out[place] = 45
                place += 1
            used = 0
            while scaled > 0 or used < 8:
                rest = scaled // 10
                digits[used] = scaled - rest * 10 + 48
                scaled = rest
                used += 1
            for k in range(used - 1, -1, -1):
                out[place] = digits[k]
                place += 1
                if k == 7:
                    out[place] = 46
                    place += 1
            out[place] = 10 if c == 2 else 32
            place += 1
    return place
