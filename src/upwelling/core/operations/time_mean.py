"""A mean over the frames before and after, of what stands still: for noise, which is another on every frame."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, ClassVar, Protocol

import numpy as np

from upwelling.core.arrays import STOPS_A_CODE, Float64
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.errors import PlaceNeeded
from upwelling.core.operations.base import FRAMES, FrameOperation, Needs, Operation, Place
from upwelling.core.operations.colour import smooth


class Frames(Protocol):
    """Where the frames around one come from; equal ones give equal frames."""

    def code(self, offset: int, shape: tuple[int, int], place: Place) -> Any | None:
        """The codes (H, W, 3) of the frame so many later, cut as ``place`` says; None where there is none."""


@dataclass(frozen=True)
class TimeMean(FrameOperation):
    """Log light averaged with that of ``frames`` frames on either side, taken to this point by the operations
    ``before``. A frame counts for a pixel by how little it differs there: wholly up to ``level`` stops in its most
    different channel, not at all from twice that on. ``amount`` is how much of the mean is taken.
    """

    frames: int
    level: float
    amount: float
    around: Frames | None = None
    before: tuple[Operation, ...] = ()
    needs: ClassVar[Needs] = FRAMES

    def reach(self, pixel: float) -> int:
        return 0

    def codes(self, shape: tuple[int, ...], place: Place) -> list[Any]:
        """The codes of the frames around; raises PlaceNeeded when nobody says where they are."""
        if self.around is None:
            raise PlaceNeeded("the frames around it")
        offsets = [n for n in range(-self.frames, self.frames + 1) if n]
        found = (self.around.code(offset, (shape[0], shape[1]), place) for offset in offsets)
        return [code for code in found if code is not None]

    def mixed(self, rgb: Any, others: Sequence[Any]) -> Any:
        """Light (H, W, 3) averaged with that of the other frames; float64, or float32 as it came."""
        code = np.asarray(ACESCCT.from_linear(rgb))
        total, count = code.copy(), np.ones(code.shape[:-1])
        for other in others:
            its = np.asarray(ACESCCT.from_linear(other))
            apart = np.abs(its - code).max(axis=-1) * STOPS_A_CODE
            weight = smooth(2 - apart / self.level)
            total += weight[..., None] * its
            count += weight
        mean = total / count[..., None]
        return np.asarray(ACESCCT.to_linear(code + self.amount * (mean - code)), dtype=rgb.dtype)

    def apply_at(self, rgb: Float64, place: Place) -> Float64:
        raise TypeError("TimeMean needs other frames: use run_reference.")
