"""What a lookup table does, measured: curves, range, clipping, smoothness, folds, and two tables compared."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.colour.difference import delta_e_2000, xyz_to_lab
from upwelling.core.colour.primaries import rgb_to_xyz, xy_to_xyz
from upwelling.core.lut import Interpolation, Lut, Lut1D, Lut3D, ProcessList, lattice
from upwelling.core.outputs import Output

CURVE_POINTS = 257
TOP = 1023
PROBED = 33
"""Points a side at which a table without one cube (a process list) is probed."""


@dataclass(frozen=True, eq=False)
class LutFacts:
    """Figures of one table. Codes are 0…1; ``roughness`` and ``kinks`` are second differences of neighbouring entries
    in 10-bit codes.

    curves: (4, CURVE_POINTS, 3), output along neutral and along red, green and blue alone (the others at the domain's
    low end). folds: share of the cube's cells in which the mapping turns inside out (its determinant is not above 0 and
    the cell is not flat).
    """

    kind: str
    size: int
    entries: int
    low: tuple[float, float, float]
    high: tuple[float, float, float]
    lowest: tuple[float, float, float]
    highest: tuple[float, float, float]
    clipped_low: float
    clipped_high: float
    curves: Float64
    neutral_spread: float
    neutral_falls: tuple[int, int, int]
    roughness_mean: float
    roughness_worst: float
    kink_at: tuple[float, float, float]
    folds: float
    fold_at: tuple[float, float, float] | None
    nodes: tuple[str, ...]
    notes: tuple[str, ...]


def kind_of(lut: Lut) -> str:
    """“1D”, “3D” or “process list”."""
    return {Lut1D: "1D", Lut3D: "3D", ProcessList: "process list"}[type(lut)]


def domain_of(lut: Lut) -> tuple[Float64, Float64]:
    """Lowest and highest input that the table tells apart; a process list is looked at over 0…1."""
    if isinstance(lut, ProcessList):
        return np.zeros(3), np.ones(3)
    return np.array(lut.domain.low), np.array(lut.domain.high)


def grid(lut: Lut, most: int = 0) -> Float64:
    """The cube of outputs (n, n, n, 3): a 3D table's own entries, others probed; ``most`` takes every so many-th point
    to keep n small.
    """
    if isinstance(lut, Lut3D):
        step = 1 if not most else max(1, -(-(lut.size - 1) // (most - 1)))
        if (lut.size - 1) % step == 0:
            return lut.table[::step, ::step, ::step].astype(np.float64)
    low, high = domain_of(lut)
    return lut.apply(low + lattice(min(most or PROBED, PROBED)) * (high - low)).astype(np.float64)


def measure(lut: Lut, interpolation: Interpolation = "tetrahedral") -> LutFacts:
    """All figures of a table."""
    low, high = domain_of(lut)
    ramp = np.linspace(0.0, 1.0, CURVE_POINTS)
    inputs = np.stack([np.repeat(ramp[:, None], 3, axis=1), *(np.eye(3)[c] * ramp[:, None] for c in range(3))])
    curves = lut.apply(low + inputs * (high - low), interpolation).astype(np.float64)
    entries = lut.table.astype(np.float64) if isinstance(lut, Lut1D | Lut3D) else grid(lut)
    flat = entries.reshape(-1, 3)
    mean, worst, place = _roughness(entries, isinstance(lut, Lut1D))
    folds, fold_at = _folds(grid(lut))
    falls = (np.diff(curves[0], axis=0) < -2e-6).sum(axis=0)
    return LutFacts(
        kind=kind_of(lut),
        size=lut.size,
        entries=len(flat),
        low=_triple(low),
        high=_triple(high),
        lowest=_triple(flat.min(axis=0)),
        highest=_triple(flat.max(axis=0)),
        clipped_low=float(np.logical_or.reduce([flat[:, c] <= 0 for c in range(3)]).mean()),
        clipped_high=float(np.logical_or.reduce([flat[:, c] >= 1 for c in range(3)]).mean()),
        curves=curves,
        neutral_spread=float(np.ptp(curves[0], axis=-1).max()),
        neutral_falls=(int(falls[0]), int(falls[1]), int(falls[2])),
        roughness_mean=mean * TOP,
        roughness_worst=worst * TOP,
        kink_at=_triple(low + np.array(place) * (high - low)),
        folds=folds,
        fold_at=None if fold_at is None else _triple(low + np.array(fold_at) * (high - low)),
        nodes=lut.kinds if isinstance(lut, ProcessList) else (),
        notes=lut.notes if isinstance(lut, ProcessList) else (),
    )


def _triple(values: Any) -> tuple[float, float, float]:
    return (float(values[0]), float(values[1]), float(values[2]))


def _roughness(entries: Float64, one_dimensional: bool) -> tuple[float, float, tuple[float, ...]]:
    """Mean and largest second difference along the axes, and where the largest is, as shares of the domain."""
    total, count, worst, place = 0.0, 0, -1.0, (0.0, 0.0, 0.0)
    for axis in range(1 if one_dimensional else 3):
        if entries.shape[axis] < 3:
            continue
        bends = _largest(np.diff(entries, n=2, axis=axis))
        total, count = total + float(bends.sum()), count + bends.size
        if bends.max() > worst:
            worst = float(bends.max())
            index = [float(v) for v in np.unravel_index(int(bends.argmax()), bends.shape)]
            index[axis] += 1
            n = entries.shape[0] - 1
            place = (index[0] / n,) * 3 if one_dimensional else (index[0] / n, index[1] / n, index[2] / n)
    return total / max(count, 1), max(worst, 0.0), place


def _largest(rgb: Float64) -> Float64:
    """The largest of each three channels' sizes; numpy is five times slower over a last axis that short."""
    red, green, blue = (np.abs(rgb[..., c]) for c in range(3))
    return np.maximum(np.maximum(red, green), blue)


def _folds(cube: Float64) -> tuple[float, tuple[float, float, float] | None]:
    """Share of cells turned inside out, judged by the determinant of their edges from the near corner, and the worst
    one's middle.
    """
    near = cube[:-1, :-1, :-1]
    edges = (cube[1:, :-1, :-1] - near, cube[:-1, 1:, :-1] - near, cube[:-1, :-1, 1:] - near)
    (a, b, c), (d, e, f), (g, h, i) = (np.moveaxis(edge, -1, 0) for edge in edges)
    volume = a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g)
    n = cube.shape[0] - 1
    turned = volume < -1e-3 / n**3
    if not turned.any():
        return 0.0, None
    index = np.unravel_index(int(volume.argmin()), volume.shape)
    return float(turned.mean()), ((index[0] + 0.5) / n, (index[1] + 0.5) / n, (index[2] + 0.5) / n)


@dataclass(frozen=True, eq=False)
class LutComparison:
    """ΔE 2000 between two tables, both outputs seen as codes of one SDR output; places (N, 3) are the worst, worst
    first.
    """

    median: float
    p95: float
    p99: float
    maximum: float
    count: int
    places: Float64
    first: Float64
    second: Float64
    delta_e: Float64


def compare_luts(
    first: Lut, second: Lut, target: Output, interpolation: Interpolation = "tetrahedral", worst: int = 8
) -> LutComparison:
    """Both tables over the first one's domain: a 33³ lattice and as many random places, from a fixed seed."""
    low, high = domain_of(first)
    codes = np.concatenate([lattice(33).reshape(-1, 3), np.random.default_rng(33).random((20_000, 3))])
    inputs = low + codes * (high - low)
    one, two = (lut.apply(inputs, interpolation).astype(np.float64) for lut in (first, second))
    white = xy_to_xyz(target.gamut.white)
    labs = [
        xyz_to_lab(np.minimum(target.to_light(np.clip(v, 0, 1)), 1.0) @ rgb_to_xyz(target.gamut).T, white)
        for v in (one, two)
    ]
    apart = np.asarray(delta_e_2000(*labs))
    order = np.argsort(apart)[::-1][:worst]
    median, p95, p99 = np.percentile(apart, [50, 95, 99])
    return LutComparison(
        float(median),
        float(p95),
        float(p99),
        float(apart.max()),
        len(apart),
        inputs[order],
        one[order],
        two[order],
        apart[order],
    )
