"""An ellipse in the picture."""

from __future__ import annotations

from typing import ClassVar, Literal

from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import EllipseSelection
from upwelling.core.operations.matte import Selection as SelectionOperation
from upwelling.core.steps.selections.base import Shape, along


class Ellipse(Shape):
    """An ellipse with a feather of the same width all around."""

    title: ClassVar[str] = "Ellipse"
    explanation: ClassVar[str] = "Selects inside an ellipse; its feather is as wide everywhere."

    kind: Literal["ellipse"] = "ellipse"
    width: float = along(0.5, "Width", 0.002, 8, "Of the whole ellipse.")
    height: float = along(0.5, "Height", 0.002, 8, "Of the whole ellipse.")

    def operation(self, working: Primaries) -> SelectionOperation:
        half = self.scale / 2
        return EllipseSelection(**self.placed, half_width=self.width * half, half_height=self.height * half)
