"""White balance by chromatic adaptation in scene-linear light."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from upwelling.core.operations import Matrix, Operation
from upwelling.core.primaries import Adaptation, Primaries, adaptation_matrix, rgb_to_xyz
from upwelling.core.steps.base import Step, parameter, signed
from upwelling.core.temperature import kelvin_duv_to_xy

REFERENCE_KELVIN = 6500.0


class WhiteBalance(Step):
    """Names the light in the scene; that light becomes the white a 6500 K light would have been."""

    title: ClassVar[str] = "White balance"
    explanation: ClassVar[str] = "Says which light the scene had; that light is made neutral. 6500 K and Duv 0 change nothing."
    source: ClassVar[str] = "Krystek 1985 (locus); ANSI C78.377 (Duv); CIE 159:2004 or Bradford (adaptation)"
    space: ClassVar[str] = "scene linear"
    neutral: ClassVar[str] = "moves neutral, on purpose"

    kind: Literal["white_balance"] = "white_balance"
    kelvin: float = parameter(REFERENCE_KELVIN, "Scene light", "K", 1700, 15000, 50,
                              "Correlated colour temperature of the light in the scene; higher makes the picture warmer.")
    duv: float = parameter(0.0, "Tint (Duv)", "Duv", -0.05, 0.05, 0.001,
                           "Distance of that light from the Planckian locus; + is a greener light, so the picture turns magenta.")
    adaptation: Adaptation = "CAT02"

    def operations(self, working: Primaries) -> tuple[Operation, ...]:
        if self.kelvin == REFERENCE_KELVIN and self.duv == 0:
            return ()
        light, reference = kelvin_duv_to_xy(self.kelvin, self.duv), kelvin_duv_to_xy(REFERENCE_KELVIN, 0.0)
        to_xyz = rgb_to_xyz(working)
        return (Matrix.of(np.asarray(np.linalg.solve(to_xyz, adaptation_matrix(light, reference, self.adaptation) @ to_xyz), np.float64)),)

    def summary(self) -> str:
        return f"{self.kelvin:.0f} K, Duv {signed(self.duv, 3)}"
