"""What Rise does to a pixel: tone map and gamut fit in one closed form, after ``root_space``.

Scene light's norm Σc³/Σc² of the positive channels is the level; d is its colour there and R the colour's reach in the
gamut.

1. Floor: k₁ = soft_limit(R)/R.
2. Level: w = soft_limit(R)⁴ is the purity. A pure colour's largest channel lies above a neutral's by E, so it is given
room:
   A = 1 + w·(MARGIN·E + ROOM). Its stops are log2(norm/0.18) + log2(A)/contrast, T = curve(stops), and it is shown at
   T·g/A. Where the curve has the slope ``contrast`` nothing changes by that; above, the largest channel stays under the
   peak without losing colour. With w ≈ 0 A is 1.
3. Towards white: k₂ = 1 − D·((1 − w)·T^EASE + w·v), v = u²(3 + 2u − 3u²)/2, u from the ease start to the scene peak in
stops of the norm,
   D the desaturation: near-neutrals lose their colour with the level, so that tables keep neutral smooth, pure ones
   late, with the stops. A shrinks with it to A₂ = 1 + (A − 1)·k₂, so that white is white.
4. Ceiling: T·g(k)/A₂ ≤ 1 for every channel, by the parabola through g(0), slope and end, held against its tangent and
chord: z is the
   reach towards the ceiling, and k = k₁·k₂·(1 + Σz⁴)^(−1/4). As T → 1, k₂/(1 − T) stays finite, so nothing jumps at the
   peak.
5. g(k), each channel kept positive by ``hold``, times T/A₂.

Along a gain of the light d, k₁, w and A stay, T rises and k₂ falls. Every step is C¹ or smoother in light, except at
light 0. Without the fit (``fitted`` off) floor and ceiling are left out: k₁ is 1, and channels may lie outside 0…1 for
another fit to bring in.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.operations.base import PixelOperation
from upwelling.core.operations.pixel import power_norm
from upwelling.core.rendering.newton import newton
from upwelling.core.rendering.root_space import RootSpace, hold, p_norm, smooth_positive, smooth_root, soft_limit
from upwelling.core.rendering.tone_curve import BRIGHTEST, LOWEST_STOP, ToneCurve

EASE = 2
"""Power of T in k₂ for near-neutrals.

Higher keeps tints longer in highlights, and trilinear tables ripple more along neutral and warm whites.
"""
PURITY = 4
"""Power of the landed reach that counts as purity. Lower: tints too turn white late, and tables follow bright glass
less well.
"""
MARGIN, ROOM = 1.2, 0.1
"""Room for a pure colour's largest channel: times its excess, and in any case.

More keeps colour in highlights, and makes them darker.
"""
CEILING_WIDTH, TANGENT_WIDTH = 0.3, 0.02
"""Over which the parabola of the ceiling fades where it misses, and tangent and chord change places."""
NEAREST = 1e-7
"""Room under the peak that is always left: float32 could not tell less from none."""
FARTHEST_MISS = -1e9
"""A parabola that misses the ceiling by more than this counts as one that misses by it: in the dark the ceiling is that
far.
"""


def norm_of(rgb: Float64) -> Float64:
    """Σc³/Σc² (N,) of the positive channels of light (N, 3): near the largest channel, and the same for a neutral."""
    return np.asarray(np.maximum(power_norm(rgb), MID_GREY * 2.0**LOWEST_STOP))


def ceiling_reach(tangent: Float64, chord: Float64, near: Float64, k: Float64) -> Float64:
    """Reach (N, 3) of each channel towards the ceiling: 1 where the parabola of its way meets it.

    ``near`` (N,) is the level over the room left above it.
    """
    bow = smooth_positive(tangent - chord, TANGENT_WIDTH)
    slope = np.maximum(chord + bow, 0.0)  # the larger of tangent and chord
    miss = np.maximum(1 - 4 * bow / (near[:, None] * (slope * slope + 1e-12)), FARTHEST_MISS)
    return np.asarray(slope * (k * near)[:, None] * (1 + smooth_root(miss, CEILING_WIDTH)) / 2)


@dataclass(frozen=True)
class RiseOperation(PixelOperation):
    """The rendering for one working space and one output: relative display light of scene-linear working light."""

    curve: ToneCurve
    ease_start: float
    desaturation: float
    space: RootSpace
    fitted: bool = True

    def shown(self, norm: Float64, d: Float64) -> tuple[Float64, Float64]:
        """Of norms (N,) and colours d (N, 3): k (N,), the share of d that is kept, and T/A₂ (N,), the level it is shown
        at.
        """
        tangent, chord = self.space.tangent_and_chord(d)
        reach = self.space.reach(chord)
        landed = soft_limit(reach)
        pure = landed**PURITY
        first = landed / reach
        above = np.maximum(first[:, None] * (tangent + first[:, None] * (chord - tangent)), 0.0)
        room = pure * (MARGIN * p_norm(above, 4) + ROOM)

        stops = np.log2(norm / MID_GREY)
        level = np.exp2(self.curve.log2_display(stops + np.log2(1 + room) / self.curve.contrast))
        u = np.clip((stops - self.ease_start) / (self.curve.peak_stops - self.ease_start), 0.0, 1.0)
        second = 1 - self.desaturation * ((1 - pure) * level**EASE + pure * u * u * (1.5 + u - 1.5 * u * u))
        room = 1 + room * second
        if not self.fitted:
            return second, level / room

        k = first * second
        z = ceiling_reach(tangent, chord, level / np.maximum(room - level, NEAREST), k)
        return k * (1 + p_norm(z, 4) ** 4) ** -0.25, level / room

    def apply(self, rgb: Float64) -> Float64:
        light = np.clip(rgb.reshape(-1, 3), -BRIGHTEST, BRIGHTEST)
        norm = norm_of(light)
        d = self.space.colour(light / norm[:, None])
        k, level = self.shown(norm, d)
        out = self.space.light(k[:, None] * d)
        made = (
            np.minimum(hold(out, self.space.light_floor) * level[:, None], 1.0) if self.fitted else out * level[:, None]
        )
        return np.asarray(made).reshape(rgb.shape)

    def undo(self, rgb: Float64) -> Float64:
        """Scene light (…, 3) shown as ``rgb``, for light inside the gamut and below the peak; where nothing fits, the
        nearest that was found.

        The first guess is what is shown without anything shortened.
        """
        light = rgb.reshape(-1, 3)
        ladder = np.linspace(LOWEST_STOP, self.curve.peak_stops, 4096)
        level = norm_of(light)
        stops = np.interp(np.log2(level), self.curve.log2_display(ladder), ladder)
        back = np.linalg.inv(self.space.to_light @ self.space.to_cones)
        guess = (light / level[:, None]) @ back.T * (MID_GREY * np.exp2(stops))[:, None]
        return newton(self.apply, light, guess).reshape(rgb.shape)
