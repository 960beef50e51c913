"""Shapes in the picture as selections: 1 inside, 0 outside, soft in between by their feather.

Lengths are frame heights, x and y are from the frame's middle, y downwards. Each gives the distance from its edge,
positive inside; the weight goes from 0 at ``feather_out`` outside to 1 at ``feather_in`` inside as 3t² − 2t³. An edge
is never harder than the array's own pixel, so that a shape covers the same area at every size.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.errors import PlaceNeeded
from upwelling.core.operations.base import PLACE, Needs, Place
from upwelling.core.operations.colour import smooth

ELLIPSE_ROUNDS = 4
TINY = 1e-9


@dataclass(frozen=True)
class ShapeSelection:
    """What all shapes have: a centre, an angle in degrees (clockwise on the screen), feather, and whether the outside
    is meant.
    """

    x: float
    y: float
    angle: float
    feather_in: float
    feather_out: float
    invert: bool
    needs: ClassVar[Needs] = PLACE

    def distance(self, u: Float64, v: Float64) -> Float64:
        """From the edge, positive inside, at (u, v) from the centre along the shape's own axes."""
        raise NotImplementedError

    def weight(self, rgb: Float64, place: Place | None = None) -> Float64:
        """0…1 of each pixel of a picture (H, W, 3) that lies at ``place``."""
        if place is None or rgb.ndim != 3:
            raise PlaceNeeded("place")
        x, y = place.along(*rgb.shape[:2])
        dx, dy = x[None, :] - self.x, y[:, None] - self.y
        turn = np.radians(self.angle)
        c, s = np.cos(turn), np.sin(turn)
        away = self.distance(c * dx + s * dy, c * dy - s * dx)
        inside, outside = self.feather_in + place.pixel / 2, self.feather_out + place.pixel / 2
        weight = smooth((away + outside) / (inside + outside))
        return np.asarray(1 - weight if self.invert else weight)


@dataclass(frozen=True)
class EllipseSelection(ShapeSelection):
    """An ellipse of two half axes. The nearest point of its edge is found by four rounds of replacing the edge by its
    circle of curvature (C. Chatfield, "A simple method for distance to ellipse", 2017; from memory).
    """

    half_width: float
    half_height: float

    def distance(self, u: Float64, v: Float64) -> Float64:
        a, b = self.half_width, self.half_height
        px, py = np.abs(u), np.abs(v)
        tx = np.full(px.shape, 0.5**0.5)
        ty = tx.copy()
        difference = a * a - b * b
        for _ in range(ELLIPSE_ROUNDS):
            ex, ey = difference * tx**3 / a, -difference * ty**3 / b
            rx, ry, qx, qy = a * tx - ex, b * ty - ey, px - ex, py - ey
            ratio = np.sqrt((rx * rx + ry * ry) / np.maximum(qx * qx + qy * qy, TINY))
            tx = np.clip((qx * ratio + ex) / a, 0.0, 1.0)
            ty = np.clip((qy * ratio + ey) / b, 0.0, 1.0)
            length = np.maximum(np.sqrt(tx * tx + ty * ty), TINY)
            tx, ty = tx / length, ty / length
        away = np.hypot(a * tx - px, b * ty - py)
        return np.asarray(np.where((px / a) ** 2 + (py / b) ** 2 <= 1, away, -away))


@dataclass(frozen=True)
class RectangleSelection(ShapeSelection):
    """A rectangle of two half sides whose corners are rounded by a radius."""

    half_width: float
    half_height: float
    radius: float

    def distance(self, u: Float64, v: Float64) -> Float64:
        qx = np.abs(u) - (self.half_width - self.radius)
        qy = np.abs(v) - (self.half_height - self.radius)
        beyond = np.hypot(np.maximum(qx, 0), np.maximum(qy, 0))
        return np.asarray(self.radius - beyond - np.minimum(np.maximum(qx, qy), 0))


@dataclass(frozen=True)
class LineSelection(ShapeSelection):
    """All that lies on one side of a line through the centre: above it at angle 0."""

    def distance(self, u: Float64, v: Float64) -> Float64:
        return np.asarray(-v)


@dataclass(frozen=True)
class RadialSelection(ShapeSelection):
    """An ellipse whose feather follows its own form: distance is the share of the way from edge to centre, times the
    mean of the half axes.
    """

    half_width: float
    half_height: float

    def distance(self, u: Float64, v: Float64) -> Float64:
        mean = np.sqrt(self.half_width * self.half_height)
        return np.asarray(mean * (1 - np.hypot(u / self.half_width, v / self.half_height)))


@dataclass(frozen=True)
class PolygonSelection(ShapeSelection):
    """A closed line of straight ``edges`` (x0, y0, x1, y1), given as the frame has them; a place is inside by the
    even-odd rule.
    """

    edges: tuple[tuple[float, float, float, float], ...]

    def distance(self, u: Float64, v: Float64) -> Float64:
        near = np.full(u.shape, np.inf)
        inside = np.zeros(u.shape, bool)
        for x0, y0, x1, y1 in self.edges:
            ex, ey = x1 - x0, y1 - y0
            along = np.clip(((u - x0) * ex + (v - y0) * ey) / max(ex * ex + ey * ey, 1e-18), 0.0, 1.0)
            near = np.minimum(near, (u - x0 - along * ex) ** 2 + (v - y0 - along * ey) ** 2)
            if y0 != y1:
                crossed = (y0 <= v) != (y1 <= v)
                inside ^= crossed & (u > x0 + (v - y0) * ex / ey)
        return np.asarray(np.where(inside, 1.0, -1.0) * np.sqrt(near))
