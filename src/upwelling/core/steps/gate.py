"""A camera's or projector's gate: the picture weaves, and its light flickers."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import Affine, Operation
from upwelling.core.operations.shift import Shift
from upwelling.core.parameters import number
from upwelling.core.steps.each_frame import EachFrame

AROUND = np.array([1.0, 4.0, 6.0, 4.0, 1.0])
"""Weights of the frames around, so that neighbours move alike; with uniform numbers of variance 1/3."""


def movement(seed: int, frame: int) -> Float64:
    """Three numbers (right, down, light) of mean 0 and standard deviation 1 over frames, of this seed and frame."""
    drawn = [np.random.Generator(np.random.PCG64([seed, frame + 2 + k])).uniform(-1, 1, 3) for k in range(-2, 3)]
    return np.asarray(AROUND @ np.array(drawn) / np.sqrt((AROUND**2).sum() / 3))


class Gate(EachFrame):
    """The picture moved by parts of a pixel and its light by parts of a stop, another on each frame."""

    title: ClassVar[str] = "Gate weave · flicker"
    explanation: ClassVar[str] = "Moves the picture and its light a little on every frame, as film in a gate does."
    source: ClassVar[str] = "Our own: seeded numbers over five frames; Keys' cubic between pixels (1981)"
    space: ClassVar[str] = "place; scene linear"
    lights: ClassVar[tuple[str, ...]] = ("scene", "display")
    invertible: ClassVar[bool] = False
    neutral: ClassVar[str] = "keeps neutral"

    kind: Literal["gate"] = "gate"
    across: float = number(
        0.0006,
        "Weave across",
        "share",
        0,
        0.01,
        0.0001,
        "Standard deviation to the sides, in frame heights.",
        keyed=True,
    )
    down: float = number(
        0.0003,
        "Weave up and down",
        "share",
        0,
        0.01,
        0.0001,
        "Standard deviation up and down, in frame heights.",
        keyed=True,
    )
    flicker: float = number(
        0.0, "Flicker", "stops", 0, 0.5, 0.005, "Standard deviation of the light from frame to frame.", keyed=True
    )
    seed: int = number(1, "Seed", "", 0, 9999, 1, "Another number gives another movement.")

    @property
    def changes_nothing(self) -> bool:
        return not self.tracks and self.across == self.down == self.flicker == 0

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        right, down, light = movement(self.seed, self.frame)
        moved = Shift(float(right * self.across), float(down * self.down))
        gain = Affine(float(2.0 ** (light * self.flicker)))
        return (*((moved,) if self.across or self.down else ()), *((gain,) if self.flicker else ()))

    def values_text(self) -> str:
        flicker = f", flicker {self.flicker:.2f} stops" if self.flicker else ""
        return f"Weave {100 * self.across:.2f} % and {100 * self.down:.2f} %{flicker}"
