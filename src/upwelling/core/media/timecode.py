"""Timecode of frames: where a file says it begins, and what that makes of each frame. Source: SMPTE ST 12-1:2014,
sections 5 and 6; drop frame leaves out labels 00 and 01 (00…03 at 60) of every minute that is not a tenth.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

_WRITTEN = re.compile(r"(\d{1,2}):(\d{2}):(\d{2})([:;.,])(\d{2,3})")
HOURS = 24


@dataclass(frozen=True)
class Timecode:
    """A label as a count of frames since midnight. ``rate`` is labels a second (24 for 23.976), ``drop`` drop frame."""

    count: int
    rate: int
    drop: bool = False

    @classmethod
    def read(cls, text: str, frames_per_second: float) -> Timecode | None:
        """Of “01:02:03:04”, or with a semicolon, point or comma before the frames where labels are dropped; None for
        what is no label at that rate.
        """
        found = _WRITTEN.fullmatch(text.strip())
        rate = round(frames_per_second)
        if found is None or rate < 1:
            return None
        hours, minutes, seconds, frames = (int(found[n]) for n in (1, 2, 3, 5))
        if hours >= HOURS or minutes > 59 or seconds > 59 or frames >= rate:
            return None
        drop = found[4] != ":"
        if drop and (rate % 30 or _dropped(rate, minutes, seconds, frames)):
            return None
        count = ((hours * 60 + minutes) * 60 + seconds) * rate + frames
        if drop:
            whole = hours * 60 + minutes
            count -= rate // 15 * (whole - whole // 10)
        return cls(count, rate, drop)

    def at(self, rate: float) -> Timecode:
        """The same time of day counted at another rate: hours, minutes and seconds stay, frames are shared out anew."""
        labels = round(rate)
        if labels == self.rate or labels < 1:
            return self
        hours, minutes, seconds, frames = re.split("[:;]", str(self))
        return Timecode(
            ((int(hours) * 60 + int(minutes)) * 60 + int(seconds)) * labels + int(frames) * labels // self.rate, labels
        )

    def later(self, frames: int) -> Timecode:
        """The label that many frames on; it begins anew after 24 hours."""
        day = HOURS * 3600 * self.rate
        if self.drop:
            day -= HOURS * 54 * (self.rate // 15)
        return Timecode((self.count + frames) % day, self.rate, self.drop)

    def __str__(self) -> str:
        count = self.count
        if self.drop:
            left_out = self.rate // 15
            tens, rest = divmod(count, 600 * self.rate - 9 * left_out)
            first = 60 * self.rate
            minutes = 0 if rest < first else 1 + (rest - first) // (first - left_out)
            count += left_out * (9 * tens + minutes)
        seconds, frames = divmod(count, self.rate)
        digits = 3 if self.rate > 100 else 2
        mark = ";" if self.drop else ":"
        return f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}{mark}{frames:0{digits}}"


def reel_of(said: Mapping[str, object]) -> str:
    """The reel in what a file says of itself, by the names that movies and stills have for it; empty where none is."""
    lower = {key.lower(): value for key, value in said.items()}
    return str(lower.get("reel_name") or lower.get("reel") or "")


def _dropped(rate: int, minutes: int, seconds: int, frames: int) -> bool:
    return bool(minutes % 10) and seconds == 0 and frames < rate // 15


def from_bcd(word: int) -> str:
    """The label in a word of eight decimal digits, hours first; empty where a digit is none (SMPTE ST 268-1 says all
    ones where there is no label).
    """
    digits = f"{word:08x}"
    return ":".join(digits[n : n + 2] for n in range(0, 8, 2)) if digits.isdecimal() else ""
