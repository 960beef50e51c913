"""Rise: the default rendering. Scene light to display light with hue kept and highlights eased towards white.

1. A norm of the pixel, Σc³/Σc² over positive channels, goes through the tone curve; the pixel is scaled by the ratio,
   so its chromaticity stays.
2. Cone responses under ``CONE_FLOOR`` of the norm are eased towards 0 and never pass it: only colours no light can
   have (codes far outside the spectral locus) come there, and a cube root through 0 would make the path rough.
3. From ``ease_start`` to the scene peak the pixel moves at constant Oklab hue towards the neutral of the same norm, by
   u²: a very bright saturated light turns white on the way instead of clipping a channel.
4. The smooth gamut fit brings what is still outside the output's primaries in, at constant Oklab hue, losing
   ``DESCENT``·L³ of lightness for each unit of chroma it takes. At constant lightness the fit would meet the display's
   gamut where it is a thin spike near white (bright yellow), and no table could follow it there.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.errors import BadValue
from upwelling.core.oklab import LAB_TO_ROOT, ROOT_TO_LAB, rgb_to_lms
from upwelling.core.outputs import Output
from upwelling.core.primaries import Adaptation, Primaries
from upwelling.core.rendering.gamut_fit import fit
from upwelling.core.rendering.tone_curve import BRIGHTEST, LOWEST_STOP, ToneCurve
from upwelling.core.steps.base import parameter

CONE_FLOOR = 0.08
DESCENT = 0.6


def hold_positive(ratio: Float64) -> Float64:
    """Cone response over norm: itself above CONE_FLOOR, eased towards 0 below; C² and rising."""
    t = np.maximum(CONE_FLOOR - ratio, 0.0) / CONE_FLOOR
    return np.where(ratio < CONE_FLOOR, CONE_FLOOR * (1 - t / np.sqrt(1 + t * t)), ratio)


class Rise(BaseModel):
    """The settings of the default rendering."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
    title: ClassVar[str] = "Rise"
    explanation: ClassVar[str] = "Smooth tone curve on a norm, hue kept, highlights eased to white, smooth gamut fit."

    kind: Literal["rise"] = "rise"
    contrast: float = parameter(1.3, "Contrast", "stops/stop", 0.8, 2.0, 0.02, "Slope of the tone curve at mid grey.")
    toe: float = parameter(0.1, "Toe", "×", -0.6, 1.0, 0.02, "Above 0 deepens shadows, below 0 opens them.")
    shoulder: float = parameter(0.5, "Shoulder start", "stops", 0.0, 2.0, 0.05,
                                "Stops above mid grey where highlights begin to be compressed.")
    scene_peak: float = parameter(64.0, "Scene peak", "× white", 4.0, 1024.0, 1.0,
                                  "Scene light, in diffuse whites, that is shown at the display's peak.")
    ease_start: float = parameter(1.5, "Ease start", "stops", 0.0, 6.0, 0.1,
                                  "Stops above mid grey where saturated light begins to turn white.")

    def curve(self, output: Output) -> ToneCurve:
        """The tone curve for a display; raises BadValue when the settings cannot meet."""
        return ToneCurve.solve(contrast=self.contrast, toe=self.toe, shoulder=self.shoulder, scene_peak=self.scene_peak,
                               mid_relative=output.mid_grey_nits / output.peak_nits)

    def operation(self, working: Primaries, output: Output, adaptation: Adaptation) -> RiseOperation:
        """The rendering as one operation: scene-linear working light to display light over the peak."""
        curve = self.curve(output)
        if self.ease_start > curve.peak_stops - 0.5:
            raise BadValue(f"Highlights cannot begin to ease at {self.ease_start:.1f} stops when the scene peak is at "
                           f"{curve.peak_stops:.1f}. Lower the ease start or raise the scene peak.")
        return RiseOperation(curve, self.ease_start, working, output.primaries, adaptation)


@dataclass(frozen=True)
class RiseOperation:
    """Rise, solved for one working space and one output. Gives 0…1 relative to the display's peak, never clipped."""

    curve: ToneCurve
    ease_start: float
    working: Primaries
    target: Primaries
    adaptation: Adaptation

    @property
    def to_lms(self) -> Float64:
        return rgb_to_lms(self.working, self.adaptation)

    @property
    def lms_to_rgb(self) -> Float64:
        matrix = np.linalg.inv(rgb_to_lms(self.target, self.adaptation))
        return np.asarray(matrix / matrix.sum(axis=1, keepdims=True))

    def apply(self, rgb: Float64) -> Float64:
        flat = np.clip(rgb.reshape(-1, 3), -BRIGHTEST, BRIGHTEST)
        light = np.maximum(flat, 0.0)
        squares = np.sum(light**2, axis=-1)
        norm = np.sum(light**3, axis=-1) / np.maximum(squares, 1e-30)
        stops = np.maximum(np.log2(np.maximum(norm, 1e-30) / MID_GREY), LOWEST_STOP)
        y = self.curve.log2_display(stops)
        held = np.maximum(norm, MID_GREY * 2.0**LOWEST_STOP)[:, None]
        root = np.cbrt(hold_positive(flat @ self.to_lms.T / held))
        lab = root @ ROOT_TO_LAB.T * np.exp2(y / 3)[:, None]
        u = np.clip((stops - self.ease_start) / (self.curve.peak_stops - self.ease_start), 0.0, 1.0)
        ease = u**2
        # Σc³/Σc² is at most 1.5 % below the norm that would keep every L under white: the minimum catches that.
        lightness = np.clip(lab[:, 0] + ease * (np.exp2(y / 3) - lab[:, 0]), 0.0, 1.0)
        ab = lab[:, 1:] * (1 - ease)[:, None]
        descent = np.minimum(DESCENT * lightness**3 * np.hypot(ab[:, 0], ab[:, 1]), 0.9 * lightness)
        offsets = ab @ LAB_TO_ROOT[:, 1:].T + descent[:, None]
        return np.clip(fit(lightness - descent, offsets, self.lms_to_rgb), 0.0, 1.0).reshape(rgb.shape)
