"""Detail by bands of frequency, raised or lowered in the working log."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from upwelling.core.arrays import STOPS_A_CODE, Float32, Float64
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.kernels import KERNEL_LOCK
from upwelling.core.operations import frame_kernel
from upwelling.core.operations.base import FrameOperation, Place
from upwelling.core.operations.blur import blur_fast, blur_reference, gaussian_reach
from upwelling.core.operations.log_light import to_log

WIDER = (1.0, 2.0, 4.0)
"""Sigma of the three blurs that part the bands, over the radius."""
LEAST_RADIUS = 0.5
"""Pixels of the frame below which there is no detail to raise: small frames are sharpened too."""
DARK = 0.002
"""Light added to both sides of a ratio of luminances, so that darkness is not torn."""


@dataclass(frozen=True)
class BandDetail(FrameOperation):
    """Three bands of detail, between the picture and blurs of 1, 2 and 4 times ``radius`` (frame heights), times their
    gains, added in ACEScct code.

    Where a gain is above 0, detail below ``threshold`` stops is passed over, by b³/(b² + t²), and what is added stays
    within ``halo`` stops, by h·tanh(x/h). On ``brightness`` the luminance alone is worked on, and light follows it in
    its own colour; else each channel.
    """

    radius: float
    gains: tuple[float, float, float]
    threshold: float
    halo: float
    on: Literal["brightness", "all channels"]
    luminance: tuple[float, float, float]

    def reach(self, pixel: float) -> int:
        return gaussian_reach(max(self.radius / pixel, LEAST_RADIUS) * WIDER[2]) + 8

    def _sigma(self, wider: float, place: Place) -> float:
        """A blur's sigma in pixels of the array; the radius counts as no less than LEAST_RADIUS pixels of the frame."""
        return max(self.radius, LEAST_RADIUS / place.height) * wider / place.pixel

    def change(self, code: Any, place: Place) -> Any:
        """What is added to ACEScct code (H, W) or (H, W, 3)."""
        down, up = np.zeros_like(code), np.zeros_like(code)
        threshold, halo = self.threshold / STOPS_A_CODE, self.halo / STOPS_A_CODE
        before = code
        for gain, wider in zip(self.gains, WIDER, strict=True):
            after = blur_reference(code, self._sigma(wider, place))
            band = before - after
            if gain < 0:
                down += gain * band
            else:
                up += gain * band * band**2 / np.maximum(band**2 + threshold**2, 1e-20)
            before = after
        return down + halo * np.tanh(up / halo)

    def apply_at(self, rgb: Float64, place: Place) -> Float64:
        if self.on == "all channels":
            code = ACESCCT.from_linear(rgb)
            return np.asarray(ACESCCT.to_linear(code + self.change(code, place)))
        y = np.maximum(rgb @ np.array(self.luminance), 0.0)
        code = ACESCCT.from_linear(y)
        raised = np.maximum(ACESCCT.to_linear(code + self.change(code, place)), 0.0)
        return np.asarray(rgb * ((raised + DARK) / (y + DARK))[..., None])

    def run_at(self, rgb: Float32, place: Place) -> Float32:
        made = np.empty_like(rgb)
        p = np.array([*self.gains, (self.threshold / STOPS_A_CODE) ** 2, self.halo / STOPS_A_CODE], dtype=np.float32)
        if self.on == "all channels":
            code = to_log(rgb)
        else:
            code = np.empty(rgb.shape[:2], np.float32)
            with KERNEL_LOCK:
                frame_kernel.log_luminance(rgb, np.array(self.luminance, dtype=np.float32), code)
        last = max((i for i, gain in enumerate(self.gains) if gain), default=0)
        blurred = [blur_fast(code, self._sigma(wider, place)) for wider in WIDER[: last + 1]]
        blurred += blurred[-1:] * (2 - last)  # bands beyond have no gain
        with KERNEL_LOCK:
            if self.on == "all channels":
                frame_kernel.raise_channels(code, *blurred, p, made)
            else:
                gain = np.empty_like(code)
                frame_kernel.gain_of(code, *blurred, p, gain)
                frame_kernel.times_plane(rgb, gain, made)
        return made
