"""A rectangle in the picture."""

from __future__ import annotations

from typing import ClassVar, Literal

from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import RectangleSelection
from upwelling.core.operations.matte import Selection as SelectionOperation
from upwelling.core.parameters import number
from upwelling.core.steps.selections.base import Shape, along


class Rectangle(Shape):
    """A rectangle whose corners may be rounded."""

    title: ClassVar[str] = "Rectangle"
    explanation: ClassVar[str] = "Selects inside a rectangle, whose corners may be rounded."

    kind: Literal["rectangle"] = "rectangle"
    width: float = along(0.6, "Width", 0.002, 8, "Of the whole rectangle.")
    height: float = along(0.4, "Height", 0.002, 8, "Of the whole rectangle.")
    corners: float = number(
        0.2, "Rounded corners", "share", 0, 1, 0.01, "Radius as a share of the largest that fits.", keyed=True
    )

    def operation(self, working: Primaries) -> SelectionOperation:
        half = self.scale / 2
        wide, high = self.width * half, self.height * half
        return RectangleSelection(
            **self.placed, half_width=wide, half_height=high, radius=self.corners * min(wide, high)
        )
