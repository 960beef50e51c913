"""Shape-preserving cubic splines through points a person moves: never past a neighbour, never a wiggle between two.

Slopes follow F. N. Fritsch and J. Butland, "A method for constructing local monotone piecewise cubic interpolants",
SIAM J. Sci. Stat. Comput. 5 (1984), 300–304; end slopes are the three-point formula held to the data's direction
(C. Moler, Numerical Computing with MATLAB (2004), section 3.6), as scipy's PchipInterpolator has them.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import numpy as np

from upwelling.core.arrays import Float64

Beyond = Literal["hold", "extend", "around"]
Points = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class Spline:
    """A curve through ``points`` (x rising, at least two; one is enough when it runs around).

    Beyond the ends it holds the end's value, extends its slope, or runs ``around`` with the period.
    """

    points: Points
    beyond: Beyond = "hold"
    period: float = 360.0

    @cached_property
    def _nodes(self) -> tuple[Float64, Float64, Float64]:
        xy = np.array(self.points, dtype=np.float64)
        x, y = xy[:, 0], xy[:, 1]
        if self.beyond == "around":  # three neighbours on either side decide every slope inside
            turns = np.arange(-3, 4) * self.period
            x, y = (x[None] + turns[:, None]).ravel(), np.tile(y, 7)
        return x, y, _slopes(x, y)

    def __call__(self, x: Any) -> Float64:
        """The curve's value at x, any shape, float64."""
        nodes, values, slopes = self._nodes
        x = np.asarray(x, dtype=np.float64)
        if self.beyond == "around":
            x = np.mod(x, self.period)
        inside = np.clip(x, nodes[0], nodes[-1])
        place = np.clip(np.searchsorted(nodes, inside, side="right") - 1, 0, len(nodes) - 2)
        width = nodes[place + 1] - nodes[place]
        t = (inside - nodes[place]) / width
        a, b = values[place], values[place + 1]
        p, q = slopes[place] * width, slopes[place + 1] * width
        y = a + t * (p + t * (3 * (b - a) - 2 * p - q + t * (2 * (a - b) + p + q)))
        if self.beyond == "extend":
            y = (
                y
                + np.where(x < nodes[0], slopes[0] * (x - nodes[0]), 0)
                + np.where(x > nodes[-1], slopes[-1] * (x - nodes[-1]), 0)
            )
        return np.asarray(y, dtype=np.float64)

    def is_flat(self, value: float) -> bool:
        """True when the curve is ``value`` everywhere."""
        return all(y == value for _, y in self.points)


def together(nodes: Float64, values: Float64, x: Float64) -> Float64:
    """Each of K extended curves through ``values`` (K, P) over the same ``nodes`` (P,), three or more, at its own x
    (K, …), all at once.
    """
    slopes = _many_slopes(nodes, values)
    flat = x.reshape(len(values), -1)
    inside = np.clip(flat, nodes[0], nodes[-1])
    place = np.clip(np.searchsorted(nodes, inside, side="right") - 1, 0, len(nodes) - 2)
    width = np.diff(nodes)[place]
    t = (inside - nodes[place]) / width
    a, b, p, q = (np.take_along_axis(table, at, axis=1) for table in (values, slopes) for at in (place, place + 1))
    p, q = p * width, q * width
    y = a + t * (p + t * (3 * (b - a) - 2 * p - q + t * (2 * (a - b) + p + q)))
    y += slopes[:, :1] * np.minimum(flat - nodes[0], 0) + slopes[:, -1:] * np.maximum(flat - nodes[-1], 0)
    return np.asarray(y.reshape(x.shape))


def _many_slopes(x: Float64, y: Float64) -> Float64:
    """Slopes of K curves (K, P) at the same nodes (P,), three or more."""
    width = np.diff(x)
    secant = np.diff(y, axis=1) / width
    before, after = secant[:, :-1], secant[:, 1:]
    w1, w2 = 2 * width[1:] + width[:-1], width[1:] + 2 * width[:-1]
    same_way = before * after > 0
    out = np.empty_like(y)
    out[:, 1:-1] = np.where(same_way, (w1 + w2) * before * after / np.where(same_way, w1 * after + w2 * before, 1), 0.0)
    for end, (first, second) in ((0, (0, 1)), (-1, (-1, -2))):
        near, far, a, b = width[first], width[second], secant[:, first], secant[:, second]
        slope = ((2 * near + far) * a - near * b) / (near + far)
        slope = np.where(slope * a <= 0, 0.0, slope)
        out[:, end] = np.where((a * b <= 0) & (np.abs(slope) > 3 * np.abs(a)), 3 * a, slope)
    return out


def _slopes(x: Float64, y: Float64) -> Float64:
    if len(x) == 2:
        return np.repeat(np.diff(y) / np.diff(x), 2)
    return np.asarray(_many_slopes(x, y[None])[0])
