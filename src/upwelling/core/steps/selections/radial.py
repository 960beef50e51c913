"""A radial gradient: from a centre outwards."""

from __future__ import annotations

from typing import ClassVar, Literal

from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import RadialSelection
from upwelling.core.operations.matte import Selection as SelectionOperation
from upwelling.core.steps.selections.base import Shape, along


class RadialGradient(Shape):
    """An ellipse that fades from its centre to its edge, and beyond if wished; the fading follows its form."""

    title: ClassVar[str] = "Radial gradient"
    explanation: ClassVar[str] = "Selects a centre and fades outwards, as wide as the ellipse is in every direction."

    kind: Literal["radial"] = "radial"
    width: float = along(0.8, "Width", 0.002, 8, "Of the whole ellipse.")
    height: float = along(0.8, "Height", 0.002, 8, "Of the whole ellipse.")
    feather_in: float = along(0.4, "Fades inside", 0, 4, "From the edge inwards; half the size fades to the centre.")
    feather_out: float = along(0.0, "Fades outside", 0, 4, "How far beyond the edge it reaches.")

    def operation(self, working: Primaries) -> SelectionOperation:
        half = self.scale / 2
        return RadialSelection(**self.placed, half_width=self.width * half, half_height=self.height * half)
