"""A linear gradient: all on one side of a line."""

from __future__ import annotations

from typing import ClassVar, Literal

from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import LineSelection
from upwelling.core.operations.matte import Selection as SelectionOperation
from upwelling.core.steps.selections.base import Shape, along


class LinearGradient(Shape):
    """All above a line, at angle 0, fading over the feathers on either side of it."""

    title: ClassVar[str] = "Linear gradient"
    explanation: ClassVar[str] = "Selects one side of a line, the upper one at 0°, and fades across it: a sky."

    kind: Literal["linear"] = "linear"
    feather_in: float = along(0.25, "Fades inside", 0, 2, "How far into the selected side it still grows.")
    feather_out: float = along(0.25, "Fades outside", 0, 2, "How far beyond the line it reaches.")

    def operation(self, working: Primaries) -> SelectionOperation:
        return LineSelection(**self.placed)
