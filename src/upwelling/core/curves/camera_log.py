"""The general camera log form: a logarithm above a break point, a straight line below it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from upwelling.core.arrays import Float
from upwelling.core.curves.base import Declared

HIGHEST_EXPONENT = 100.0
"""Light is held to 2¹⁰⁰, so that codes far beyond any signal stay finite in float32 as well."""


@dataclass(frozen=True)
class CameraLog(Declared):
    """code = log_slope·log2(linear_slope·x + linear_offset) + log_offset for x ≥ break_linear, a line below.

    All members of the camera log families are instances of this form, with the base of the logarithm folded into
    ``log_slope``. The two branches of a published curve may meet with a tiny step: both break points are given.
    """

    log_slope: float = field(default=1.0, kw_only=True)
    log_offset: float = field(default=0.0, kw_only=True)
    linear_slope: float = field(default=1.0, kw_only=True)
    linear_offset: float = field(default=0.0, kw_only=True)
    break_linear: float = field(default=0.0, kw_only=True)
    break_code: float = field(default=0.0, kw_only=True)
    toe_slope: float = field(default=1.0, kw_only=True)
    toe_offset: float = field(default=0.0, kw_only=True)

    def to_linear(self, code: Float) -> Any:
        code = np.asarray(code)
        above = (
            np.exp2(
                np.minimum((np.maximum(code, self.break_code) - self.log_offset) / self.log_slope, HIGHEST_EXPONENT)
            )
            - self.linear_offset
        )
        return np.where(code >= self.break_code, above / self.linear_slope, (code - self.toe_offset) / self.toe_slope)

    def from_linear(self, linear: Float) -> Any:
        linear = np.asarray(linear)
        held = np.maximum(linear, self.break_linear)
        above = self.log_slope * np.log2(self.linear_slope * held + self.linear_offset) + self.log_offset
        return np.where(linear >= self.break_linear, above, self.toe_slope * linear + self.toe_offset)
