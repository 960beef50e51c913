"""Frame rates as the exact fractions that they are: 23.976 is 24000/1001. Source: SMPTE ST 12-1:2014, section 4."""

from __future__ import annotations

from fractions import Fraction

from upwelling.core.errors import BadValue

_NEAR = 1e-4
"""Share by which a written rate may be off: 29.97 is 1e-5 from 30000/1001, 24 is 1e-3 from 24000/1001."""


def exact_rate(rate: float) -> Fraction:
    """The nearest of n and n·1000/1001 within rounding, else the plain fraction."""
    whole = round(rate)
    for fraction in (Fraction(whole), Fraction(round(rate * 1.001) * 1000, 1001)):
        if fraction > 0 and abs(float(fraction) - rate) <= _NEAR * rate:
            return fraction
    return Fraction(rate).limit_denominator(100_000)


def read_rate(text: str) -> Fraction:
    """Of “24”, “23.976”, “23.98” or “24000/1001”; raises BadValue for what is no rate from 1 to 1000."""
    try:
        if "/" in text:
            rate = Fraction(text.replace(" ", ""))
        else:
            said = float(text.replace(",", "."))
            rate = Fraction(24000, 1001) if abs(said - 23.98) < 1e-9 else exact_rate(said)
    except (ValueError, ZeroDivisionError, OverflowError):
        raise BadValue(f"“{text}” is no frame rate. Write 24, 23.976 or 24000/1001.") from None
    if not 1 <= rate <= 1000:
        raise BadValue(f"{text} frames a second is outside 1 to 1000.")
    return rate


def rate_text(rate: Fraction) -> str:
    """As people write it: 24, 23.976, 59.94, else the fraction."""
    if rate.denominator == 1:
        return str(rate.numerator)
    if rate.denominator == 1001:
        return f"{float(rate):.3f}".rstrip("0").rstrip(".") if rate.numerator == 24000 else f"{float(rate):.2f}"
    return f"{rate.numerator}/{rate.denominator}"
