"""A curve known by measured or published pairs of code and light."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np

from upwelling.core.arrays import Float
from upwelling.core.curves.base import Declared
from upwelling.core.errors import BadValue

BEND = 0.01
"""Light is interpolated as arcsinh(light / BEND): straight about black, logarithmic above."""


@dataclass(frozen=True)
class TableCurve(Declared):
    """Monotone cubic through pairs of code (0…1) and light, in arcsinh(light / 0.01).

    Interpolation: Fritsch and Carlson, SIAM J. Numerical Analysis 17 (1980), 238–246, as scipy's PCHIP. Beyond the
    first and last pair the curve goes straight on in that space with the slope between the last two pairs.
    """

    code: tuple[float, ...] = field(default=(), kw_only=True)
    light: tuple[float, ...] = field(default=(), kw_only=True)

    def __post_init__(self) -> None:
        if len(self.code) < 4 or len(self.code) != len(self.light):
            raise BadValue("A table needs at least four pairs of code and light.")
        if not np.isfinite([*self.code, *self.light]).all():
            raise BadValue("The table holds a value that is not a number.")
        for values, name in ((self.code, "code"), (self.light, "light")):
            place = int(np.argmin(np.diff(values)))
            if values[place + 1] <= values[place]:
                raise BadValue(
                    f"The {name} must rise from row to row: row {place + 2} ({values[place + 1]:g}) is not above "
                    f"row {place + 1} ({values[place]:g}), so the curve could not be turned round."
                )

    @cached_property
    def _bent(self) -> Any:
        return np.arcsinh(np.array(self.light) / BEND)

    @cached_property
    def _spline(self) -> Any:
        from scipy.interpolate import PchipInterpolator  # loaded when first used: it takes a while

        return PchipInterpolator(np.array(self.code), self._bent)

    def _ends(self) -> tuple[float, float]:
        code, bent = np.array(self.code), self._bent
        return float((bent[1] - bent[0]) / (code[1] - code[0])), float((bent[-1] - bent[-2]) / (code[-1] - code[-2]))

    def to_linear(self, code: Float) -> Any:
        code = np.asarray(code, dtype=np.float64)
        low, high = self.code[0], self.code[-1]
        first, last = self._ends()
        bent = (
            self._spline(np.clip(code, low, high))
            + np.minimum(code - low, 0) * first
            + np.maximum(code - high, 0) * last
        )
        return BEND * np.sinh(bent)

    def from_linear(self, linear: Float) -> Any:
        """By halving: 50 steps between the pairs that enclose the light, then straight beyond the ends."""
        bent = np.arcsinh(np.asarray(linear, dtype=np.float64) / BEND)
        first, last = self._ends()
        held = np.clip(bent, self._bent[0], self._bent[-1])
        codes = np.array(self.code)
        place = np.clip(np.searchsorted(self._bent, held, side="right") - 1, 0, len(codes) - 2)
        low, high = codes[place], codes[place + 1]
        for _ in range(50):
            middle = (low + high) / 2
            above = self._spline(middle) > held
            low, high = np.where(above, low, middle), np.where(above, middle, high)
        return (
            (low + high) / 2 + np.minimum(bent - self._bent[0], 0) / first + np.maximum(bent - self._bent[-1], 0) / last
        )
