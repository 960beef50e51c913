"""A 3×3 matrix on scene light that keeps white."""

from __future__ import annotations

from typing import Any, ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from upwelling.core.arrays import Float64
from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import Matrix, Operation
from upwelling.core.parameters import number, signed
from upwelling.core.steps.base import Step

LEAST_DETERMINANT = 0.02
"""Below it colours would nearly fall together, and the step could not be undone."""
CHANNELS = ("red", "green", "blue")
SHARES = tuple(f"{of}_into_{into}" for into in CHANNELS for of in CHANNELS if of != into)
OFF = ~np.eye(3, dtype=bool)
"""Where the shares stand in a matrix."""


def _share(of: str, into: str) -> Any:
    return number(0.0, f"{of.capitalize()} into {into}", "share", -2, 2, 0.01, f"How much of {of} is put into {into}.")


class ChannelShares(Step):
    """How much of each channel is put into the others; what is left of 1 is the channel's own."""

    green_into_red: float = _share("green", "red")
    blue_into_red: float = _share("blue", "red")
    red_into_green: float = _share("red", "green")
    blue_into_green: float = _share("blue", "green")
    red_into_blue: float = _share("red", "blue")
    green_into_blue: float = _share("green", "blue")

    @property
    def shares(self) -> list[float]:
        """Of the other channels, row by row (6,)."""
        return [getattr(self, name) for name in SHARES]


class ColourMatrix(ChannelShares):
    """Each channel becomes a mixture of the three whose shares sum to 1: greys stay as they are."""

    title: ClassVar[str] = "Colour matrix"
    explanation: ClassVar[str] = "Mixes the channels of scene light into each other; white and every grey stay."
    source: ClassVar[str] = "By definition: a linear map of light whose rows sum to 1"
    space: ClassVar[str] = "scene linear"
    neutral: ClassVar[str] = "keeps neutral"

    kind: Literal["colour_matrix"] = "colour_matrix"

    @classmethod
    def of(cls, rows: Any, **said: Any) -> Self:
        """The step of a matrix (3, 3) whose rows sum to 1; they are made to, where rounding left a trace."""
        m = np.asarray(rows, dtype=np.float64)
        return cls(**dict(zip(SHARES, m[OFF].tolist(), strict=True)), **said)

    @property
    def matrix(self) -> Float64:
        """The rows (3, 3)."""
        m = np.zeros((3, 3))
        m[OFF] = self.shares
        return m + np.diag(1 - m.sum(axis=1))

    @model_validator(mode="after")
    def _can_be_undone(self) -> Self:
        if float(np.linalg.det(self.matrix)) < LEAST_DETERMINANT:
            raise ValueError("These shares bring different colours together; make some of them smaller")
        return self

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        return (Matrix.of(self.matrix),)

    def values_text(self) -> str:
        m = self.matrix
        return "Matrix " + " · ".join(
            f"{channel[0].upper()} {' '.join(signed(float(v), 2) for v in row)}"
            for channel, row in zip(CHANNELS, m, strict=True)
        )
