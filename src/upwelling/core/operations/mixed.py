"""Operations mixed into what enters them, operations run on the side, and a matte shown: what stands around others."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.operations.base import NOTHING, Needs, Operation, PixelOperation, needs_of, reach_of
from upwelling.core.operations.matte import Matte
from upwelling.core.operations.pixel import Decode, Encode

Mix = Literal["replace", "lighten", "darken", "luminance", "colour"]
LEAST_LIGHT = 1e-5
"""Luminance below this counts as it where a ratio of two is taken: there is no colour to keep."""


@dataclass(frozen=True)
class MixRule:
    """Changes a result by what it came from, both in ACEScct code: a channel is only ever made lighter, or darker, or
    only luminance or only colour is taken from the result.

    Luminance and colour are of the light: rgb·Y′/Y, with both luminances at least ``LEAST_LIGHT``.
    """

    mix: Mix
    luminance: tuple[float, float, float]

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


@dataclass(frozen=True)
class Mixed:
    """What ``inside`` makes of a colour, by ``rule``, taken into what enters as far as ``strength`` and ``matte`` say:
    before + strength·weight·(after − before).

    ``into`` leads to the code that is mixed in and ``back`` out of it; the matte is judged on what enters.
    """

    inside: tuple[Operation, ...]
    strength: float = 1.0
    matte: Matte | None = None
    rule: MixRule | None = None
    into: tuple[Operation, ...] = ()
    back: tuple[Operation, ...] = ()

    @property
    def taken_whole(self) -> bool:
        """Whether nothing of what enters is left beside the result."""
        return self.strength == 1 and self.matte is None

    @property
    def needs(self) -> Needs:
        return needs_of(self.inside) | (self.matte.needs if self.matte else NOTHING)

    def reach(self, pixel: float) -> int:
        """See FrameOperation."""
        return reach_of(self.inside, pixel) + (self.matte.reach(pixel) if self.matte else 0)

    @property
    def led_to(self) -> tuple[Operation, ...]:
        """What leads from what enters to what ``inside`` is given."""
        return (*self.into, *self.back)

    def apply(self, rgb: Float64) -> Float64:
        raise TypeError("Mixed holds other operations: use run_reference.")


def mixed_in_log(
    inside: tuple[Operation, ...], strength: float, matte: Matte | None = None, rule: MixRule | None = None
) -> tuple[Operation, ...]:
    """Operations on scene-linear light mixed in the working log space, so that half of two stops is one stop."""
    if not inside:
        return ()
    return (Mixed(inside, strength, matte, rule, into=(Encode(ACESCCT),), back=(Decode(ACESCCT),)),)


@dataclass(frozen=True)
class Aside:
    """Runs operations that hand something out (Tap), and goes on with what came in."""

    operations: tuple[Operation, ...]

    @property
    def needs(self) -> Needs:
        return needs_of(self.operations)

    def apply(self, rgb: Float64) -> Float64:
        return rgb


@dataclass(frozen=True)
class ShowMatte(PixelOperation):
    """Replaces each pixel by its weight in a matte, 0…1 in all three channels."""

    matte: Matte

    @property
    def needs(self) -> Needs:  # type: ignore[override]
        return self.matte.needs

    def reach(self, pixel: float) -> int:
        """See FrameOperation."""
        return self.matte.reach(pixel)

    def apply(self, rgb: Float64) -> Float64:
        raise TypeError("ShowMatte needs a place: use run_reference.")
