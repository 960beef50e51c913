"""Mattes: selections joined in order, then softened as one; and rules by which a step's result is mixed in."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, Protocol

import numpy as np

from upwelling.core.arrays import Float32, Float64
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.operations.base import NEIGHBOURS, NOTHING, Needs, PixelOperation, Place, needs_of
from upwelling.core.operations.blur import blur_fast, blur_reference, gaussian_reach
from upwelling.core.operations.grow import grow_fast, grow_reference

Join = Literal["and", "or", "without"]
Mix = Literal["replace", "lighten", "darken", "luminance", "colour"]
LEAST_LIGHT = 1e-5
"""Luminance below this counts as it where a ratio of two is taken: there is no colour to keep."""


class Selection(Protocol):
    """One part of a matte."""

    @property
    def needs(self) -> Needs: ...

    def weight(self, rgb: Float64, place: Place | None = None) -> Float64: ...


def joined(before: Float64, join: Join, weight: Float64) -> Float64:
    """Both weights as one: and a·b, or 1 − (1 − a)(1 − b), without a·(1 − b)."""
    if join == "or":
        return 1 - (1 - before) * (1 - weight)
    return before * (weight if join == "and" else 1 - weight)


@dataclass(frozen=True)
class Matte:
    """Sets the weight 0…1 of each pixel for the blends that follow; does not change the pixel.

    ``parts`` are joined in order; the first one's join is not looked at. Then small holes and specks of up to ``clean``
    are closed and removed, the whole grows (shrinks below 0) by ``grow``, is blurred by ``blur`` (a Gaussian's sigma),
    all in frame heights, and raised to the power 1/``gamma``.
    """

    parts: tuple[tuple[Join, Selection], ...]
    clean: float = 0.0
    grow: float = 0.0
    blur: float = 0.0
    gamma: float = 1.0

    @property
    def softened(self) -> bool:
        """Whether it looks at neighbours."""
        return bool(self.clean or self.grow or self.blur)

    @property
    def needs(self) -> Needs:
        return needs_of(part for _, part in self.parts) | (NEIGHBOURS if self.softened else NOTHING)  # type: ignore[misc]

    def apply(self, rgb: Float64) -> Float64:
        return rgb

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
        return total if self.gamma == 1 else np.clip(total, 0.0, 1.0) ** (1 / self.gamma)

    def soften(self, weight: Float32, place: Place) -> Float32:
        """The joined weights (H, W) softened, fast and in float32."""
        clean, grow, sigma = (v / place.pixel for v in (self.clean, self.grow, self.blur))
        weight = grow_fast(grow_fast(weight, -clean), clean)
        weight = grow_fast(grow_fast(weight, clean), -clean)
        weight = blur_fast(grow_fast(weight, grow), sigma)
        return weight if self.gamma == 1 else np.clip(weight, 0, 1, dtype=np.float32) ** np.float32(1 / self.gamma)


@dataclass(frozen=True)
class MixBy(PixelOperation):
    """Changes a step's result by what was held before it, both in ACEScct code: a channel is only ever made lighter, or
    darker, or only luminance or only colour is taken from the result.

    Luminance and colour are of the light: rgb·Y′/Y, with both luminances at least ``LEAST_LIGHT``.
    """

    mix: Mix
    luminance: tuple[float, float, float]

    def apply(self, rgb: Float64) -> Float64:
        raise TypeError("MixBy needs the held value: use run_reference.")

    def mixed(self, before: Float64, after: Float64) -> Float64:
        """The new code of two codes (…, 3)."""
        if self.mix == "lighten":
            return np.maximum(before, after)
        if self.mix == "darken":
            return np.minimum(before, after)
        kept, other = (before, after) if self.mix == "luminance" else (after, before)
        light = np.asarray(ACESCCT.to_linear(kept))
        weights = np.array(self.luminance)
        mine = np.maximum(light @ weights, LEAST_LIGHT)
        wanted = np.maximum(np.asarray(ACESCCT.to_linear(other)) @ weights, LEAST_LIGHT)
        return np.asarray(ACESCCT.from_linear(light * (wanted / mine)[..., None]))
