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
from upwelling.core.steps.colour_matrix import CHANNELS, OFF, SHARES, ChannelShares

ROOTS = ("red_green", "green_blue", "red_blue")
"""The roots in their order; each of the product of two channels."""
ROOT_SHARES = tuple(f"{root}_into_{into}" for into in CHANNELS for root in ROOTS)


def _share(of: str, into: str) -> Any:
    name = of.replace("_", "·")
    said = f"How much of the root of {name} is put into {into}."
    return number(0.0, f"√ {name} into {into}", "share", -2, 2, 0.01, said)


def root_rows(shares: Any, roots: Any) -> Float64:
    """Rows (…, 3, 6) that sum to 1, of the shares of other channels (…, 6) and of the roots (…, 9)."""
    shares, roots = np.asarray(shares, dtype=np.float64), np.asarray(roots, dtype=np.float64)
    rows = np.zeros((*shares.shape[:-1], 3, 6))
    rows[..., :3][..., OFF] = shares
    rows[..., 3:] = roots.reshape(*roots.shape[:-1], 3, 3)
    at = np.arange(3)
    rows[..., at, at] = 1 - rows.sum(axis=-1)
    return rows


class RootMatrix(ChannelShares):
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
        values = dict(zip((*SHARES, *ROOT_SHARES), map(float, (*shares, *roots)), strict=True))
        return cls(**values, **said)

    @property
    def rows(self) -> Float64:
        """The rows (3, 6)."""
        return root_rows(self.shares, [getattr(self, name) for name in ROOT_SHARES])

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        rows: Any = tuple(tuple(float(v) for v in row) for row in self.rows)
        return (RootMatrixOperation(rows),)

    def values_text(self) -> str:
        return "Root-polynomial matrix " + " · ".join(
            f"{channel[0].upper()} {' '.join(signed(float(v), 2) for v in row)}"
            for channel, row in zip(CHANNELS, self.rows, strict=True)
        )
