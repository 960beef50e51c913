"""The table someone used, from a picture before and after it: recovered, named where it is a known conversion, and
continued by that where the picture showed nothing.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from upwelling.core.errors import BadValue
from upwelling.core.lut import Lut3D
from upwelling.core.match.table import KNOWN, SIZE, Recovered, recover
from upwelling.core.tables.evidence import Nearest, converted, nearest

FOLLOWED = 3.0
"""Codes of 1023 within which a built-in conversion must have 90 % of the picture after, to be the one that was used:
rounding to 8 bit takes 1.8, a third of a stop 7, a tenth of contrast 14.
"""
TRIED, LOOKED_AT, MOST = 8, 4000, 90
"""Conversions that the picture is asked about, pixels it is asked at, and percent of them that count."""
TIE = 0.1
"""Codes within which two conversions are as near as each other."""
SIZES = 9, 65


@dataclass(frozen=True, eq=False)
class Named:
    """``found`` with what is said of it: the nearest built-in conversion ``near``, its ``name`` (several where they are
    as near), and whether it is ``followed`` where nothing was seen.
    """

    found: Recovered
    near: Nearest
    name: str
    followed: bool

    @property
    def said(self) -> tuple[str, ...]:
        """Sentences for the person, and for the file."""
        rest = "that conversion" if self.followed else "a polynomial and is worth nothing"
        off = f"{self.near.mean_codes:.1f} codes of 1023 off at 90 % of the picture's pixels"
        named = f"{self.name}{', legal codes' if self.near.codes_legal else ''}"
        return (
            f"Built-in conversion: {named}, {off}."
            if self.followed
            else f"No built-in conversion was used: even {named} is {off}.",
            f"{self.found.support * 100:.1f} % of the cube was seen; the rest follows {rest}.",
            f"Samples left out were {self.found.error * 1023:.2f} codes off; {self.found.kept * 100:.1f} % of them "
            "belong.",
        )

    @property
    def lut(self) -> Lut3D:
        """The table, with what is said of it as its comments."""
        return replace(self.found.lut, comments=self.said)

    @property
    def seen(self) -> Any:
        """Which nodes of the cube were seen, bool (n, n, n) by red, green, blue."""
        return self.found.distance <= KNOWN


def _as_the_picture(found: Sequence[Nearest], before: Any, after: Any) -> list[Nearest]:
    """The conversions with how far each misses pixels of the picture itself, which a table of few nodes cannot tell;
    the nearest first. Some count for nothing, as pictures have dead pixels and titles.
    """
    pixels = before.reshape(-1, 3).astype(np.float64)
    some = np.random.default_rng(5).choice(len(pixels), min(LOOKED_AT, len(pixels)), replace=False)
    wanted = after.reshape(-1, 3)[some]

    def off(one: Nearest) -> float:
        return float(np.percentile(np.abs(np.clip(converted(one, pixels[some]), 0, 1) - wanted), MOST) * 1023)

    return sorted((replace(one, mean_codes=off(one)) for one in found), key=lambda one: one.mean_codes)


def recover_named(before: Any, after: Any, size: int = SIZE) -> Named:
    """Recovers the table between codes 0…1 (H, W, 3) of one picture before and after; raises BadValue or
    CannotMatch.
    """
    if not SIZES[0] <= size <= SIZES[1]:
        raise BadValue(f"{size} nodes: between {SIZES[0]} and {SIZES[1]} can be told from a picture.")
    if before.shape != after.shape:
        raise BadValue(
            f"The picture after is {after.shape[1]} × {after.shape[0]}, the one before {before.shape[1]} × "
            f"{before.shape[0]}: their pixels do not belong together."
        )
    found = recover(before, after, size=size)
    near, *others = _as_the_picture(nearest(found.lut, TRIED, found.knows), before, after)
    followed = near.mean_codes <= FOLLOWED
    if followed:  # what was never seen follows the conversion that was used
        found = recover(before, after, lambda codes: converted(near, codes), size)
    alike = [near, *(one for one in others if one.mean_codes - near.mean_codes < TIE)]
    name = " or ".join(f"{one.expects} to {one.gives}" if one.expects else "codes as they come in" for one in alike)
    return Named(found, near, name, followed)
