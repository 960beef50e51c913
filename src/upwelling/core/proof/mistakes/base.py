"""What every kind of mistake answers: which values a table would hold if it had been made so, and the sentence that
says it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from upwelling.core import engine
from upwelling.core.arrays import Float64
from upwelling.core.bake.order import BakeOrder
from upwelling.core.errors import UpwellingError
from upwelling.core.operations.exact import exact

Tried = Iterator[tuple[Any, str]]
"""Values (N, 3) at the case's codes, and the sentence."""


@dataclass(frozen=True, eq=False)
class Case:
    """Places of a file that does not do what its path does.

    ``codes`` (N, 3) in, ``entries`` (N, 3) what the file gives there. Of a cube ``index`` (N, 3) counts its grid
    points, ``axis`` (n,) are their codes and ``grid`` (n, n, n, 3) all its entries; of a file of formulas all three are
    None.
    """

    order: BakeOrder
    codes: Float64
    entries: Float64
    index: Any = None
    axis: Any = None
    grid: Any = None
    fitted: Any = 0.0
    """How far the entries of a right table are from the path at the same places (N, 3): fitted ones are, on purpose."""

    @cached_property
    def right(self) -> Float64:
        """What should be there."""
        return self.at(self.codes)

    def at(self, codes: Any, order: BakeOrder | None = None) -> Float64:
        """The exact output at other codes, or by another order."""
        return self.order.held(exact((order or self.order).operations, codes))

    @cached_property
    def right_grid(self) -> Float64:
        """The whole grid as it should be, from the tile engine, (n, n, n, 3)."""
        lattice = np.stack(np.meshgrid(self.axis, self.axis, self.axis, indexing="ij"), axis=-1)
        return np.asarray(
            self.order.held(engine.run(engine.compile_operations(self.order.operations), lattice)), dtype=np.float64
        )

    def with_path(self, stage: str, **fields: Any) -> BakeOrder | None:
        """The order with another setting in a stage of its path; None where that changes nothing or cannot be."""
        path = self.order.path
        was = getattr(path, stage)
        now = was.model_copy(update=fields)
        if now == was:
            return None
        try:
            other = self.order.model_copy(update={"path": path.model_copy(update={stage: now})})
            other.operations  # noqa: B018  what cannot be made is no mistake to look for
        except UpwellingError:
            return None
        return other


def apart(one: Any, two: Any) -> float:
    """Mean distance in code."""
    return float(np.mean(np.abs(np.nan_to_num(one) - two)))
