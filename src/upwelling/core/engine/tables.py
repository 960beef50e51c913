"""Sampled curves of a run, one after the other in one row of numbers."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any

import numpy as np

from upwelling.core.curves.spline import Spline


class Tables:
    """The curves of a run as one row of numbers; equal curves are sampled once and kept."""

    def __init__(self) -> None:
        self.parts: list[Any] = []
        self.length = 0

    def add(self, *curves: Any) -> float:
        """Appends sampled curves, each with its last value twice; returns where the first begins."""
        start = self.length
        for values in curves:
            self.parts.append(values)
            self.length += len(values)
        return float(start)

    def joined(self) -> Any:
        return np.concatenate(self.parts) if self.parts else np.zeros(1, np.float32)


def closed(values: Any) -> Any:
    """Samples float32 with their last value twice, as a reader between two needs them."""
    return np.append(values, values[-1]).astype(np.float32)


@lru_cache(maxsize=256)
def sampled(chain: tuple[Callable[[Any], Any], ...], low: float, high: float, cells: int) -> Any:
    """Curves one after the other, sampled over low…high."""
    values = np.linspace(low, high, cells + 1)
    for curve in chain:
        values = curve(values)
    return closed(values)


def table_of(curve: Spline, low: float, high: float, cells: int, tables: Tables) -> list[float]:
    """Four parameters of a curve over low…high: where it lies, or that it is flat."""
    first = curve.points[0][1]
    if curve.is_flat(first):
        return [-1.0, first, 0.0, 0.0]
    return [tables.add(sampled((curve,), low, high, cells)), low, cells / (high - low), float(cells)]
