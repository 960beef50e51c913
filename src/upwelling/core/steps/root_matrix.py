"""A matrix on scene light and on the roots of its channels' products: it mixes otherwise in other colours, and alike at
every brightness.
"""

from __future__ import annotations

from typing import Any, ClassVar, Literal, Self

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import Operation
from upwelling.core.operations import RootMatrix as RootMatrixOperation
from upwelling.core.parameters import number, signed
from upwelling.core.steps.base import Step
from upwelling.core.steps.colour_matrix import CHANNELS

ROOTS = ("red_green", "green_blue", "red_blue")
"""The roots in their order; each of the product of two channels."""
OFF = ~np.eye(3, dtype=bool)


def _share(of: str, into: str) -> Any:
    name = of.replace("_", "·")
    said = f"How much of {name if '·' not in name else 'the root of ' + name} is put into {into}."
    title = f"{'√ ' if '_' in of else ''}{name.capitalize()} into {into}"
    return number(0.0, title, "share", -2, 2, 0.01, said)


def root_rows(shares: Any, roots: Any) -> Float64:
    """Rows (…, 3, 6) that sum to 1, of the shares of other channels (…, 6) and of the roots (…, 9)."""
    shares, roots = np.asarray(shares, dtype=np.float64), np.asarray(roots, dtype=np.float64)
    rows = np.zeros((*shares.shape[:-1], 3, 6))
    rows[..., :3][..., OFF] = shares
    rows[..., 3:] = roots.reshape(*roots.shape[:-1], 3, 3)
    at = np.arange(3)
    rows[..., at, at] = 1 - rows.sum(axis=-1)
    return rows


class RootMatrix(Step):
    """Each channel becomes a mixture of the three and of the roots of their products, whose shares sum to 1."""

    title: ClassVar[str] = "Root-polynomial matrix"
    explanation: ClassVar[str] = (
        "Mixes the channels of scene light, and the roots of their products, into each other; white and every grey "
        "stay, and twice the light gives twice the result."
    )
    source: ClassVar[str] = "Finlayson, Mackiewicz and Hurlbert 2015, degree 2; rows that sum to 1"
    space: ClassVar[str] = "scene linear"
    invertible: ClassVar[bool] = False
    neutral: ClassVar[str] = "keeps neutral"

    kind: Literal["root_matrix"] = "root_matrix"
    green_into_red: float = _share("green", "red")
    blue_into_red: float = _share("blue", "red")
    red_into_green: float = _share("red", "green")
    blue_into_green: float = _share("blue", "green")
    red_into_blue: float = _share("red", "blue")
    green_into_blue: float = _share("green", "blue")
    red_green_into_red: float = _share("red_green", "red")
    green_blue_into_red: float = _share("green_blue", "red")
    red_blue_into_red: float = _share("red_blue", "red")
    red_green_into_green: float = _share("red_green", "green")
    green_blue_into_green: float = _share("green_blue", "green")
    red_blue_into_green: float = _share("red_blue", "green")
    red_green_into_blue: float = _share("red_green", "blue")
    green_blue_into_blue: float = _share("green_blue", "blue")
    red_blue_into_blue: float = _share("red_blue", "blue")

    @classmethod
    def of(cls, shares: Any, roots: Any, **said: Any) -> Self:
        """The step of shares of other channels (6,), row by row, and of the roots (9,), row by row."""
        pairs = [(j, i) for i in range(3) for j in range(3) if i != j]
        values = {f"{CHANNELS[j]}_into_{CHANNELS[i]}": float(v) for (j, i), v in zip(pairs, shares, strict=True)}
        names = [f"{root}_into_{channel}" for channel in CHANNELS for root in ROOTS]
        return cls(**values, **{name: float(v) for name, v in zip(names, roots, strict=True)}, **said)

    @property
    def rows(self) -> Float64:
        """The rows (3, 6)."""
        shares = [getattr(self, f"{j}_into_{i}") for i in CHANNELS for j in CHANNELS if i != j]
        return root_rows(shares, [getattr(self, f"{root}_into_{i}") for i in CHANNELS for root in ROOTS])

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        rows: Any = tuple(tuple(float(v) for v in row) for row in self.rows)
        return (RootMatrixOperation(rows),)

    def said(self) -> str:
        return "Root-polynomial matrix " + " · ".join(
            f"{channel[0].upper()} {' '.join(signed(float(v), 2) for v in row)}"
            for channel, row in zip(CHANNELS, self.rows, strict=True)
        )
