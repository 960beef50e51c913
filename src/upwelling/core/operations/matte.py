"""Mattes: selections joined in order, then softened as one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, Protocol

import numpy as np

from upwelling.core.arrays import Float32, Float64
from upwelling.core.operations.base import NEIGHBOURS, NOTHING, Needs, Place, needs_of
from upwelling.core.operations.blur import blur_fast, blur_reference, gaussian_reach
from upwelling.core.operations.grow import grow_fast, grow_reference

Join = Literal["and", "or", "without"]


class Selection(Protocol):
    """One part of a matte."""

    @property
    def needs(self) -> Needs: ...

    @property
    def invert(self) -> bool: ...

    def weight(self, rgb: Float64, place: Place | None = None) -> Float64: ...


def joined(before: Float64, join: Join, weight: Float64) -> Float64:
    """Both weights as one: and a·b, or 1 − (1 − a)(1 − b), without a·(1 − b)."""
    if join == "or":
        return 1 - (1 - before) * (1 - weight)
    return before * (weight if join == "and" else 1 - weight)


@dataclass(frozen=True)
class Matte:
    """A weight 0…1 for each pixel, by which something is mixed in.

    ``parts`` are joined in order; the first one's join is not looked at. Then small holes and specks of up to ``clean``
    are closed and removed, the whole grows (shrinks below 0) by ``grow``, is blurred by ``blur`` (a Gaussian's sigma),
    all in frame heights, and raised to the power 1/``gamma``; ``invert`` takes what is left of 1 at last.
    """

    parts: tuple[tuple[Join, Selection], ...]
    clean: float = 0.0
    grow: float = 0.0
    blur: float = 0.0
    gamma: float = 1.0
    invert: bool = False

    @property
    def softened(self) -> bool:
        """Whether it looks at neighbours."""
        return bool(self.clean or self.grow or self.blur)

    @property
    def needs(self) -> Needs:
        return needs_of(part for _, part in self.parts) | (NEIGHBOURS if self.softened else NOTHING)  # type: ignore[misc]

    def reach(self, pixel: float) -> int:
        """See FrameOperation."""
        if not self.softened:
            return 0
        grown = 4 * self.clean + abs(self.grow)
        return int(np.ceil(grown / pixel)) + 6 + gaussian_reach(self.blur / pixel)

    def weight(self, rgb: Float64, place: Place | None = None) -> Float64:
        """0…1 of each pixel of linear light (…, 3), in float64."""
        total = np.ones(rgb.shape[:-1])
        for index, (join, part) in enumerate(self.parts):
            weight = part.weight(rgb, place)
            total = weight if index == 0 else joined(total, join, weight)
        if self.softened:
            assert place is not None
            clean, grow, sigma = (v / place.pixel for v in (self.clean, self.grow, self.blur))
            total = grow_reference(grow_reference(total, -clean), clean)
            total = grow_reference(grow_reference(total, clean), -clean)
            total = blur_reference(grow_reference(total, grow), sigma)
        total = total if self.gamma == 1 else np.clip(total, 0.0, 1.0) ** (1 / self.gamma)
        return 1 - total if self.invert else total

    def soften(self, weight: Float32, place: Place) -> Float32:
        """The joined weights (H, W) softened, fast and in float32."""
        clean, grow, sigma = (v / place.pixel for v in (self.clean, self.grow, self.blur))
        weight = grow_fast(grow_fast(weight, -clean), clean)
        weight = grow_fast(grow_fast(weight, clean), -clean)
        weight = blur_fast(grow_fast(weight, grow), sigma)
        if self.gamma != 1:
            weight = np.clip(weight, 0, 1, dtype=np.float32) ** np.float32(1 / self.gamma)
        return np.float32(1) - weight if self.invert else weight
