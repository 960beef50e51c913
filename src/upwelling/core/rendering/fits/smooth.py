"""The smooth gamut fit: towards neutral by the closed form of ``root_space``, for tone maps that leave channels outside
0…1.

The level is the light's luminance, kept above a share of its largest channels; d is the colour there. The floor of the
gamut is kept by the colour's reach R: k₁ = soft_limit(R)/R. Its ceiling by the reach z of T·g(k), T = min(level, 1),
towards 1: with the parabola through g(0), slope and end held against tangent and chord, z's p-norm Z gives k =
k₁·soft_limit(Z)/Z. Colours further inside than the knees do not move. At a level of 1 nothing but white is left.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.colour.primaries import Adaptation, rgb_to_xyz
from upwelling.core.operations.base import PixelOperation
from upwelling.core.outputs import Output
from upwelling.core.rendering.fits.base import GamutFit
from upwelling.core.rendering.newton import newton
from upwelling.core.rendering.rise_operation import NEAREST, ceiling_reach, norm_of
from upwelling.core.rendering.root_space import SHARP, RootSpace, hold, p_norm, soft_limit
from upwelling.core.rendering.tone_curve import BRIGHTEST

LEVEL_FLOOR = 0.05
"""Luminance over the norm under which ``hold`` bends it away from 0."""
CEILING_KNEE = 0.8
"""Reach towards the ceiling up to which no colour moves."""


class SmoothFit(GamutFit):
    """Ours: hue kept, soft knees before the gamut's floor and ceiling."""

    title: ClassVar[str] = "Smooth"
    explanation: ClassVar[str] = (
        "Towards the neutral axis at constant hue, with a soft knee from 80 % of the way to the edge; no jump anywhere."
    )
    source: ClassVar[str] = "Our own; Oklab by B. Ottosson (2020), ICtCp by ITU-R BT.2100-2"

    kind: Literal["smooth"] = "smooth"

    def operation(self, target: Output, adaptation: Adaptation) -> SmoothOperation:
        return SmoothOperation(RootSpace(target.gamut, target.gamut, adaptation, target.peak_nits))


@dataclass(frozen=True)
class SmoothOperation(PixelOperation):
    """The fit for one gamut and peak."""

    space: RootSpace

    @property
    def luminance(self) -> Float64:
        """Weights (3,) of the level."""
        return np.asarray(rgb_to_xyz(self.space.target)[1])

    def apply(self, rgb: Float64) -> Float64:
        light = np.clip(rgb.reshape(-1, 3), -BRIGHTEST, BRIGHTEST)
        norm = norm_of(light)
        level = hold(light @ self.luminance / norm, LEVEL_FLOOR) * norm
        d = self.space.colour(light / level[:, None])
        tangent, chord = self.space.tangent_and_chord(d)
        reach = self.space.reach(chord)
        shown = np.minimum(level, 1.0)
        k = soft_limit(reach) / reach
        z = p_norm(ceiling_reach(tangent, chord, shown / np.maximum(1 - shown, NEAREST), k), SHARP)
        k = k * soft_limit(z, CEILING_KNEE) / z
        out = hold(self.space.light(k[:, None] * d), self.space.light_floor) * shown[:, None]
        return np.asarray(np.minimum(out, 1.0)).reshape(rgb.shape)

    def undo(self, rgb: Float64) -> Float64:
        """Light (…, 3) that the fit takes to ``rgb`` inside the gamut; colours on the edge itself could come from
        anywhere and stay there.
        """
        light = rgb.reshape(-1, 3)
        level = (light @ self.luminance)[:, None]
        return newton(
            self.apply, light, *(level + growth * (light - level) for growth in (1.0, 1.08, 1.25, 1.6))
        ).reshape(rgb.shape)
