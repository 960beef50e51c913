"""An outline of points in the picture, joined by straight lines or one smooth curve."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import PolygonSelection
from upwelling.core.operations.matte import Selection as SelectionOperation
from upwelling.core.parameters import choice
from upwelling.core.steps.selections.base import Shape

MOST_POINTS = 48
BETWEEN = 8
"""Straight lines that stand for the smooth curve between two points."""
Coordinate = Annotated[float, Field(ge=-4, le=4)]


def _outline(default: tuple[tuple[float, float], ...]) -> Any:
    return Field(
        default,
        min_length=3,
        max_length=MOST_POINTS,
        title="Points",
        description="From the shape's centre, in frame heights; y downwards.",
        json_schema_extra={"keyed": True, "low": -4, "high": 4, "points": True},
    )


class Polygon(Shape):
    """A closed outline; where it crosses itself, every second part is outside."""

    title: ClassVar[str] = "Polygon"
    explanation: ClassVar[str] = "Selects inside an outline of points, straight or smooth between them."

    kind: Literal["polygon"] = "polygon"
    points: tuple[tuple[Coordinate, Coordinate], ...] = _outline(
        ((-0.2, -0.2), (0.2, -0.2), (0.25, 0.05), (0.0, 0.25), (-0.25, 0.05))
    )
    line: Literal["smooth", "straight"] = choice("smooth", "Line", "How the outline goes from point to point.")

    def outline(self) -> Any:
        """The outline's corners (N, 2) around the centre, at scale 1: the points, or those of the smooth curve."""
        points = np.array(self.points, dtype=np.float64)
        return points if self.line == "straight" else smooth_outline(points)

    def operation(self, working: Primaries) -> SelectionOperation:
        corners = self.outline() * self.scale
        edges = np.concatenate([corners, np.roll(corners, -1, axis=0)], axis=1)
        rows = tuple((float(a), float(b), float(c), float(d)) for a, b, c, d in edges)
        return PolygonSelection(**self.placed, edges=rows)


def smooth_outline(points: Any) -> Any:
    """The closed curve through ``points`` (N, 2) as N·BETWEEN corners: a cubic between each two, with the slope of the
    two neighbours at each (Catmull and Rom, 1974).
    """
    t = np.arange(BETWEEN)[:, None] / BETWEEN
    before, at, then, last = (np.roll(points, shift, axis=0)[:, None, :] for shift in (1, 0, -1, -2))
    m0, m1 = (then - before) / 2, (last - at) / 2
    curve = at + t * (m0 + t * (3 * (then - at) - 2 * m0 - m1 + t * (2 * (at - then) + m0 + m1)))
    return curve.reshape(-1, 2)
