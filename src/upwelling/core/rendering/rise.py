"""Rise: the default rendering. Scene light to the light of any display with hue kept and highlights eased towards white.

1. A norm of the pixel, Σc³/Σc² over positive channels, goes through the tone curve; the pixel is scaled by the ratio,
   so its chromaticity stays.
2. Cone responses under ``CONE_FLOOR`` of the norm are eased towards 0 and never pass it: only colours no light can
   have (codes far outside the spectral locus) come there, and a cube root through 0 would make the path rough.
3. From ``ease_start`` to the scene peak the pixel moves at constant Oklab hue towards the neutral of the same norm, by
   u² times ``desaturation``: a very bright saturated light turns white on the way instead of clipping a channel.
4. The gamut fit brings what is still outside the output's primaries in.

The contrast is that for a dim surround of 5 cd/m². For another surround it is multiplied by 0.98^log2(L_surround/5), the law that
Report ITU-R BT.2390-8 (section 6.2) gives for the system gamma of HLG; ``surround`` says how much of that is used.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.errors import BadValue
from upwelling.core.oklab import LAB_TO_ROOT, ROOT_TO_LAB, rgb_to_lms
from upwelling.core.operations import Operation
from upwelling.core.outputs import Output
from upwelling.core.primaries import Adaptation, Primaries
from upwelling.core.rendering.base import ToneMap
from upwelling.core.rendering.fits.smooth import SmoothOperation
from upwelling.core.rendering.tone_curve import BRIGHTEST, LOWEST_STOP, ToneCurve
from upwelling.core.steps.base import parameter

CONE_FLOOR = 0.08
SURROUND_LAW, SURROUND_OF_REFERENCE = 0.98, 5.0


def hold_positive(ratio: Float64) -> Float64:
    """Cone response over norm: itself above CONE_FLOOR, eased towards 0 below; C² and rising."""
    t = np.maximum(CONE_FLOOR - ratio, 0.0) / CONE_FLOOR
    return np.where(ratio < CONE_FLOOR, CONE_FLOOR * (1 - t / np.sqrt(1 + t * t)), ratio)


def not_held(held: Float64) -> Float64:
    """The inverse of ``hold_positive`` for positive values."""
    x = np.clip(1 - held / CONE_FLOOR, 0.0, 1 - 1e-9)
    return np.where(held < CONE_FLOOR, CONE_FLOOR * (1 - x / np.sqrt(1 - x * x)), held)


class Rise(ToneMap):
    """The settings of the default rendering."""

    title: ClassVar[str] = "Rise"
    explanation: ClassVar[str] = "Smooth tone curve on a norm, hue kept, highlights eased to white; one family for every peak."
    source: ClassVar[str] = "Our own; surround by Report ITU-R BT.2390-8, section 6.2"
    keeps: ClassVar[str] = "Oklab hue; chromaticity below the ease start"
    hue_bound: ClassVar[float] = 1.0

    kind: Literal["rise"] = "rise"
    contrast: float = parameter(1.3, "Contrast", "stops/stop", 0.8, 2.0, 0.02, "Slope of the tone curve at mid grey, in a dim surround.")
    toe: float = parameter(0.1, "Toe", "×", -0.6, 1.0, 0.02, "Above 0 deepens shadows, below 0 opens them.")
    shoulder: float = parameter(0.5, "Shoulder start", "stops", 0.0, 2.0, 0.05,
                                "Stops above mid grey where highlights begin to be compressed.")
    scene_peak: float = parameter(64.0, "Scene peak", "× white", 4.0, 1024.0, 1.0,
                                  "Scene light, in diffuse whites, that is shown at the display's peak.")
    ease_start: float = parameter(1.5, "Ease start", "stops", 0.0, 6.0, 0.1,
                                  "Stops above mid grey where saturated light begins to turn white.")
    desaturation: float = parameter(1.0, "Highlight desaturation", "×", 0.0, 1.0, 0.02,
                                    "How far saturated light has turned white at the scene peak; below 1 the gamut fit does the rest.")
    surround: float = parameter(1.0, "Surround", "×", 0.0, 2.0, 0.1,
                                "How much of BT.2390's law for the output's surround is applied to the contrast; 0 ignores the surround.")

    def contrast_for(self, target: Output) -> float:
        """The contrast in the output's surround."""
        return float(self.contrast * SURROUND_LAW ** (self.surround * np.log2(target.surround_nits / SURROUND_OF_REFERENCE)))

    def curve(self, target: Output) -> ToneCurve:
        """The tone curve for a display; raises BadValue when the settings cannot meet."""
        return ToneCurve.solve(contrast=self.contrast_for(target), toe=self.toe, shoulder=self.shoulder, scene_peak=self.scene_peak,
                               mid_relative=target.mid_grey)

    def tone(self, working: Primaries, target: Output, adaptation: Adaptation) -> tuple[Operation, ...]:
        curve = self.curve(target)
        if self.ease_start > curve.peak_stops - 0.5:
            raise BadValue(f"Highlights cannot begin to ease at {self.ease_start:.1f} stops when the scene peak is at "
                           f"{curve.peak_stops:.1f}. Lower the ease start or raise the scene peak.")
        return (RiseTone(curve, self.ease_start, self.desaturation, working, target.gamut, adaptation),)

    def peak_stops(self, target: Output) -> float:
        return float(np.log2(self.scene_peak / MID_GREY))

    def said(self, target: Output) -> str:
        return f"Rise, scene peak {self.scene_peak:g} × white → {target.peak_nits:g} cd/m²"


@dataclass(frozen=True)
class RiseTone:
    """The tone map of Rise, solved for one working space and one output. Channels may still lie outside 0…1."""

    curve: ToneCurve
    ease_start: float
    desaturation: float
    working: Primaries
    target: Primaries
    adaptation: Adaptation

    @property
    def to_lms(self) -> Float64:
        return rgb_to_lms(self.working, self.adaptation)

    @property
    def lms_to_rgb(self) -> Float64:
        return SmoothOperation(self.target, self.adaptation).lms_to_rgb

    def ease(self, stops: Float64) -> Float64:
        """How far towards white, 0…1."""
        u = np.clip((stops - self.ease_start) / (self.curve.peak_stops - self.ease_start), 0.0, 1.0)
        return np.asarray(self.desaturation * u**2)

    def to_lab(self, rgb: Float64) -> Float64:
        """Oklab (N, 3) of display light over its peak, of scene-linear working light (N, 3)."""
        flat = np.clip(rgb, -BRIGHTEST, BRIGHTEST)
        light = np.maximum(flat, 0.0)
        norm = np.sum(light**3, axis=-1) / np.maximum(np.sum(light**2, axis=-1), 1e-30)
        stops = np.maximum(np.log2(np.maximum(norm, 1e-30) / MID_GREY), LOWEST_STOP)
        root_y = np.exp2(self.curve.log2_display(stops) / 3)
        held = np.maximum(norm, MID_GREY * 2.0**LOWEST_STOP)[:, None]
        lab = np.cbrt(hold_positive(flat @ self.to_lms.T / held)) @ ROOT_TO_LAB.T * root_y[:, None]
        ease = self.ease(stops)
        # Σc³/Σc² is at most 1.5 % below the norm that would keep every L under white: the limit catches that.
        lightness = np.clip(lab[:, 0] + ease * (root_y - lab[:, 0]), 0.0, 1.0)
        return np.concatenate([lightness[:, None], lab[:, 1:] * (1 - ease)[:, None]], axis=1)

    def apply(self, rgb: Float64) -> Float64:
        root = self.to_lab(rgb.reshape(-1, 3)) @ LAB_TO_ROOT.T
        return np.asarray(root**3 @ self.lms_to_rgb.T).reshape(rgb.shape)

    def undo(self, rgb: Float64) -> Float64:
        """Scene light (…, 3) whose display light is ``rgb``, for light below the display's peak.

        For every level s the pixel undone at that level has a norm of its own; the right s is where the two agree, found by bisection.
        """
        shape, flat = rgb.shape, rgb.reshape(-1, 3)
        lab = np.cbrt(flat @ np.linalg.inv(self.lms_to_rgb).T) @ ROOT_TO_LAB.T
        to_rgb = np.linalg.inv(self.to_lms)

        def ratios(stops: Float64) -> Float64:
            """RGB over its norm if the level were ``stops``."""
            root_y = np.exp2(self.curve.log2_display(stops) / 3)
            ease = np.minimum(self.ease(stops), 1 - 1e-9)
            lightness = (lab[:, 0] - ease * root_y) / (1 - ease)
            root = np.concatenate([lightness[:, None], lab[:, 1:] / (1 - ease)[:, None]], axis=1) @ LAB_TO_ROOT.T / root_y[:, None]
            return np.asarray(not_held(np.maximum(root, 0.0) ** 3) @ to_rgb.T)

        low, high = np.full(len(flat), LOWEST_STOP), np.full(len(flat), self.curve.peak_stops)
        for _ in range(60):
            middle = (low + high) / 2
            light = np.maximum(ratios(middle), 0.0)
            more = np.sum(light**3, axis=-1) > np.sum(light**2, axis=-1)
            low, high = np.where(more, middle, low), np.where(more, high, middle)
        stops = (low + high) / 2
        return np.asarray(ratios(stops) * (MID_GREY * np.exp2(stops))[:, None]).reshape(shape)


@dataclass(frozen=True)
class RiseOperation:
    """RiseTone and the smooth fit as one, for the engine: the fit begins with the Oklab values the tone map ends with."""

    tone: RiseTone
    fit: SmoothOperation

    def apply(self, rgb: Float64) -> Float64:
        return self.fit.of_lab(self.tone.to_lab(rgb.reshape(-1, 3))).reshape(rgb.shape)
