"""The table someone used, from a picture before and after it: recovered, named where it is a known conversion, and
continued by that where the picture showed nothing.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from upwelling.core.errors import BadValue
from upwelling.core.lut import Lut3D
from upwelling.core.match.table import KNOWN, SIZE, Recovered, recover
from upwelling.core.tables.evidence import Nearest, converted, nearest

FOLLOWED = 20.0
"""Codes of 1023 by which a recovered table may be off a built-in conversion on average to be continued by it."""
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
        return (
            f"Nearest built-in conversion where the picture has colours: {self.name}"
            f"{', legal codes' if self.near.codes_legal else ''}, {self.near.mean_codes:.1f} codes of 1023 off on "
            "average.",
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
    near = nearest(found.lut, known=found.knows)[0]
    followed = near.mean_codes <= FOLLOWED
    if followed:  # what was never seen follows the conversion it is nearest to
        found = recover(before, after, lambda codes: converted(near, codes), size)
    near, *others = nearest(found.lut, known=found.knows)
    alike = [near, *(one for one in others if one.mean_codes - near.mean_codes < TIE)]
    name = " or ".join(f"{one.expects} to {one.gives}" if one.expects else "codes as they come in" for one in alike)
    return Named(found, near, name, followed)
