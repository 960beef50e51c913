"""Ladder: gain in stops against scene stops."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator

from upwelling.core.arrays import Float64
from upwelling.core.colour.primaries import Primaries, rgb_to_xyz
from upwelling.core.curves.spline import Spline
from upwelling.core.operations import BandGain, Norm, Operation
from upwelling.core.parameters import CurvePoints, curve, signed, within
from upwelling.core.steps.base import Step

STEEPEST_FALL = 0.95
"""Gain may fall by this many stops over a stop; at 1 different tones would become one, beyond it they would fold over.
"""
X, Y = (-8.0, 8.0), (-4.0, 4.0)
RUNGS = ((-6.0, 0.0), (-3.0, 0.0), (0.0, 0.0), (3.0, 0.0), (6.0, 0.0))


class RungGain(Spline):
    """A spline of tone out through ``points``, less the tone that came in; held beyond the ends."""

    def __call__(self, x: Any) -> Float64:
        inside = np.clip(np.asarray(x, dtype=np.float64), self.points[0][0], self.points[-1][0])
        return super().__call__(inside) - inside


class Ladder(Step):
    """Exposure by tonal band: the pixel is scaled as a whole, so its hue and saturation stay.

    Tone out (stops + gain) runs as a monotone spline through the rungs, so that rungs that rise never fold between.
    """

    title: ClassVar[str] = "Ladder"
    explanation: ClassVar[str] = "Gain in stops by the pixel's own brightness in stops; channels keep their ratios."
    source: ClassVar[str] = "Our own step; the spline is Fritsch and Butland 1984"
    space: ClassVar[str] = "stops of a norm of scene light"
    neutral: ClassVar[str] = "keeps neutral"

    kind: Literal["ladder"] = "ladder"
    rungs: CurvePoints = curve(
        RUNGS,
        "Ladder",
        "Gain against scene stops from mid grey. Gain may fall by at most 0.95 stops a stop.",
        x=X,
        y=Y,
        x_unit="stops",
        y_unit="stops",
        falls=STEEPEST_FALL,
    )
    norm: Norm = Field(
        "power norm",
        title="Judged by",
        description="What counts as the pixel’s brightness: working luminance, its largest "
        "channel, or Σc³/Σc², which lies between and treats saturated colours evenly.",
    )

    @model_validator(mode="after")
    def _rises(self) -> Ladder:
        within(self.rungs, X, Y, "Ladder")
        for (x, gain), (after, next_gain) in zip(self.rungs, self.rungs[1:], strict=False):
            fall = (gain - next_gain) / (after - x)
            if fall > STEEPEST_FALL + 1e-9:
                raise ValueError(
                    f"Between {signed(x, 1)} and {signed(after, 1)} stops the gain falls by {gain - next_gain:.2f} "
                    "stops over "
                    f"{after - x:.2f}: tones would fold over. It may fall by {STEEPEST_FALL * (after - x):.2f} there"
                )
        return self

    @property
    def changes_nothing(self) -> bool:
        return all(gain == 0 for _, gain in self.rungs)

    def curve_of(self, name: str) -> Spline:
        """Gain by scene stops, held beyond the first and last rung."""
        if name != "rungs":
            raise KeyError(name)
        return RungGain(tuple((x, x + gain) for x, gain in self.rungs))

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        r, g, b = rgb_to_xyz(working)[1]
        return (BandGain(self.norm, (float(r), float(g), float(b)), self.curve_of("rungs")),)

    def values_text(self) -> str:
        moved = [f"{signed(gain, 2)} at {signed(x, 1)}" for x, gain in self.rungs if gain]
        return "Ladder " + (", ".join(moved[:3]) + (" …" if len(moved) > 3 else "") if moved else "at rest")
