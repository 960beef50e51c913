"""A cube over the display's own light, behind formulas: what bends most is written exactly, and the grid stands where
the eye and the display's coding need it.

A cube over camera codes has one point every few hundred codes where an HDR display has hundreds of steps: near black,
and on the surfaces where a channel of the display meets 0, which lie aslant in camera codes. Here everything up to the
rendering, and the matrix to the display's primaries, are process nodes; then light is coded as below, black on a grid
point, so that those surfaces are planes of the grid; and a cube holds only the rendering. The idea and its constants
are our own; figures in docs/numbers.md.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core import engine
from upwelling.core.arrays import Float64
from upwelling.core.bake.native import half_table, native_nodes
from upwelling.core.bake.order import BakeOrder
from upwelling.core.colour.primaries import rgb_to_rgb
from upwelling.core.engine.fold import folded
from upwelling.core.errors import BadValue
from upwelling.core.lut import Lut3D
from upwelling.core.lut.process import Node, TableNode
from upwelling.core.operations import Matrix, Operation

BELOW = 0.3
"""Share of the grid for light that a channel of the display cannot show: it is below 0 there, and the gamut fit
brings it back.
"""
DEEPEST = 0.2
"""Light below 0 to which the grid goes, in diffuse whites: nearer to 0 the strongest colours of cameras are lost,
further below the grid is too coarse for the shadows of pictures.
"""
TOP = 64.0
"""Light at the top of the grid, in diffuse whites: eight and a half stops over mid grey, where every rendering has
long come to its peak. With 32 lamps stray, with 100 the darks do.
"""
TOE = 0.0008
"""Light, in diffuse whites, about which the coding goes from straight to logarithmic. The gamut fit bends where one
channel is a given share of another, in darks as in lights, so points stand at equal ratios; PQ's own curve has four
times the ratio from point to point near black, and errs there twice as much under a contrast.
"""
_PLANES = 8


@dataclass(frozen=True)
class DisplayLight:
    """Light in the display's primaries coded as log2(1 + light/toe), from ``-deepest`` below 0 to ``top``; 0 comes to
    ``black``, a point of the grid.
    """

    black: float
    top: float = TOP
    deepest: float = DEEPEST
    toe: float = TOE

    def apply(self, rgb_linear: Any) -> Float64:
        light = np.asarray(rgb_linear, dtype=np.float64)
        stops = np.sign(light) * np.log2(1 + np.abs(light) / self.toe)
        code = self.black + stops * np.where(stops < 0, self._below, self._above)
        return np.asarray(np.clip(code, 0.0, 1.0))

    def light_of(self, code: Any) -> Float64:
        """Light (…) of codes 0…1."""
        away = np.asarray(code, dtype=np.float64) - self.black
        stops = away / np.where(away < 0, self._below, self._above)
        return np.asarray(np.sign(stops) * (np.exp2(np.abs(stops)) - 1) * self.toe)

    @property
    def _below(self) -> float:
        """Code of a stop below 0."""
        return self.black / math.log2(1 + self.deepest / self.toe)

    @property
    def _above(self) -> float:
        """Code of a stop above 0."""
        return (1 - self.black) / math.log2(1 + self.top / self.toe)


def _parts(order: BakeOrder) -> tuple[tuple[Operation, ...], tuple[Operation, ...]]:
    """The order's operations up to its rendering, and the rest; raises BadValue for a section without one."""
    if not order.section.to_display or "rendering" not in order.section.stages:
        raise BadValue(
            "A cube behind formulas holds a rendering: end the table at the display’s code, and begin below."
        )
    fitted = order.section.prepared(
        order.kept_path,
        order.receiver.input_range,
        order.receiver.input_depth,
        order.receiver.output_range,
        order.receiver.output_depth,
    )
    segments = fitted.segments()
    rest = (*segments["rendering"], *segments["finish"], *segments["display"])
    return order.operations[: len(order.operations) - len(rest)], rest


def display_cube(order: BakeOrder) -> tuple[Node, ...]:
    """The nodes: formulas, the coding as a table over all halfs, and the cube. Raises BadValue where what is below the
    rendering mixes channels in a way the format has no node for.
    """
    before, rest = _parts(order)
    path = order.kept_path
    matrix = np.asarray(rgb_to_rgb(path.working_primaries, path.target.gamut, path.input.adaptation))
    head = native_nodes(folded((*before, Matrix.of(matrix))))
    if head is None:
        raise BadValue(
            "Steps of this path mix channels in a way that formulas do not hold, so its cube cannot stand behind them. "
            "Take a plain cube, or one behind an adapted shaper."
        )
    coding = DisplayLight(round(BELOW * (order.size - 1)) / (order.size - 1))
    axis = coding.light_of(np.linspace(0.0, 1.0, order.size))
    back = np.linalg.inv(matrix).T
    program = engine.compile_operations(rest)
    table = np.empty((order.size,) * 3 + (3,), dtype=np.float32)
    for first in range(0, order.size, _PLANES):
        some = slice(first, min(first + _PLANES, order.size))
        light = np.stack(np.meshgrid(axis[some], axis, axis, indexing="ij"), axis=-1) @ back
        table[some] = order.held(engine.run(program, light.astype(np.float32)))
    return (*head, half_table(coding), TableNode(Lut3D(table), order.receiver.interpolation))
