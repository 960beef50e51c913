"""HLG, the hybrid log gamma of ITU-R BT.2100 (scene-referred: OETF and its inverse)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import Float
from upwelling.core.curves.base import Declared

# ITU-R BT.2100-2, table 5: a as printed, b = 1 − 4a, c = 0.5 − a·ln(4a).
A = 0.17883277
B = 1 - 4 * A
C = 0.5 - A * np.log(4 * A)


@dataclass(frozen=True)
class HybridLogGamma(Declared):
    """linear 1.0 = scene light at the nominal peak signal; negative values mirror the positive ones."""

    def to_linear(self, code: Float) -> Any:
        code = np.asarray(code)
        size = np.abs(code)
        light = np.where(size <= 0.5, size * size / 3, (np.exp((size - C) / A) + B) / 12)
        return np.sign(code) * light

    def from_linear(self, linear: Float) -> Any:
        linear = np.asarray(linear)
        size = np.abs(linear)
        above = A * np.log(np.maximum(12 * size, 1.0) - B) + C
        return np.sign(linear) * np.where(size <= 1 / 12, np.sqrt(3 * size), above)


LUMINANCE = (0.2627, 0.6780, 0.0593)
"""ITU-R BT.2100-2, table 5: the weights of Y in the OOTF."""


@dataclass(frozen=True)
class Ootf:
    """Scene light to display light of an HLG display; ITU-R BT.2100-2, table 5 and note 5f.

    ``peak_nits`` is the nominal peak L_W, ``black_nits`` the black L_B that the lift β keeps visible.
    """

    peak_nits: float = 1000.0
    black_nits: float = 0.0

    @property
    def gamma(self) -> float:
        """1.2 + 0.42·log10(L_W / 1000) from 400 to 2000 cd/m², 1.2·1.111^log2(L_W / 1000) beyond."""
        ratio = self.peak_nits / 1000
        if 400 <= self.peak_nits <= 2000:
            return 1.2 + 0.42 * math.log10(ratio)
        return float(1.2 * 1.111 ** math.log2(ratio))

    @property
    def lift(self) -> float:
        """β = √(3·(L_B / L_W)^(1/γ))."""
        return math.sqrt(3 * (self.black_nits / self.peak_nits) ** (1 / self.gamma))

    def to_display(self, rgb_scene: Float) -> Any:
        """Display light relative to the peak of scene light (…, 3) relative to its peak."""
        rgb_scene = np.asarray(rgb_scene)
        y = (rgb_scene @ np.array(LUMINANCE))[..., None]
        return rgb_scene * np.where(y > 1e-9, np.maximum(y, 1e-30) ** (self.gamma - 1), 0.0)

    def to_scene(self, rgb_display: Float) -> Any:
        """The inverse of ``to_display``."""
        rgb_display = np.asarray(rgb_display)
        y = (rgb_display @ np.array(LUMINANCE))[..., None]
        return rgb_display * np.where(y > 1e-9, np.maximum(y, 1e-30) ** (1 / self.gamma - 1), 0.0)


HLG = HybridLogGamma(
    name="HLG",
    explanation="Relative HDR signal; decoded to scene light by the inverse OETF.",
    source="ITU-R BT.2100-2, table 5",
    anchors=(),
    linear_unit="1.0 = scene light at 100 % of signal",
)
CURVES = (HLG,)
