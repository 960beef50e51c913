"""The table someone used, recovered from a picture and the same picture after it.

Samples of one small cell are taken together; nodes of the cube are found by least squares over them (read
tetrahedrally), over a thin plate's energy of what is left after a prior, and a little pull to that prior where nothing
was seen. The prior is a cubic polynomial of the codes, or a known conversion. How smooth: by samples left out.
Thresholds are our own, found on pictures through known conversions. Solved by conjugate gradients (SciPy).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy import sparse
from scipy.ndimage import distance_transform_edt
from scipy.sparse.linalg import cg

from upwelling.core.arrays import Float64
from upwelling.core.lut import Lut3D, lattice
from upwelling.core.match.light import CannotMatch

SIZE = 33
CELLS = 96
"""Cells along an axis whose samples are averaged."""
MOST_WEIGHT = 30.0
SMOOTH = (0.3, 0.03, 0.003)
"""How smooth, from most to least."""
PULL = 1e-5
KNOWN = 1.0
"""Nodes from data within which the table is known; beyond it follows the prior."""
LEFT_OUT, ROUNDS = 0.15, 2
MOST_SPREAD, MOST_ERROR, FEWEST_COLOURS = 0.012, 0.02, 60
"""Code by which equal colours may differ after, by which left-out samples may be off; and coarse colours needed."""
Prior = Callable[[Float64], Float64]


@dataclass(frozen=True, eq=False)
class Recovered:
    """``distance`` (n, n, n): nodes to the nearest with data. ``error`` is the left-out deviation in code, ``spread``
    how far equal colours were apart after, ``kept`` the share of samples that belong.
    """

    lut: Lut3D
    distance: Float64
    error: float
    spread: float
    kept: float

    @property
    def support(self) -> float:
        """The share of the cube that was seen."""
        return float((self.distance <= KNOWN).mean())

    def knows(self, codes: Any) -> Any:
        """Whether all nodes around each code (…, 3) were seen."""
        n = self.distance.shape[0]
        at = np.clip(np.asarray(codes), 0, 1) * (n - 1)
        low = np.minimum(np.floor(at).astype(int), n - 2)
        corners = [low + np.array([i, j, k]) for i in (0, 1) for j in (0, 1) for k in (0, 1)]
        return np.all([self.distance[tuple(np.moveaxis(c, -1, 0))] <= KNOWN for c in corners], axis=0)


def recover(before: Any, after: Any, prior: Prior | None = None, size: int = SIZE) -> Recovered:
    """The table between codes 0…1 (…, 3) of one picture before and after; raises CannotMatch."""
    mine, its = (np.asarray(codes, dtype=np.float64).reshape(-1, 3) for codes in (before, after))
    if len(mine) != len(its):
        raise CannotMatch("The two pictures differ in size, so their pixels do not belong together.")
    good = np.isfinite(mine).all(axis=1) & np.isfinite(its).all(axis=1)
    mine, its = np.clip(mine[good], 0, 1), its[good]
    if len(np.unique((mine * 16).astype(int), axis=0)) < FEWEST_COLOURS:
        raise CannotMatch("The picture has too few colours to tell one conversion from another.")
    codes, values, count, spread = _cells(mine, its)
    if spread > MOST_SPREAD:
        raise CannotMatch(
            f"Equal colours before became different ones after ({spread * 1023:.0f} codes of 1023 apart): the change "
            "is no one conversion. It holds windows or grain, or the pictures do not lie over each other."
        )
    weights = np.minimum(np.sqrt(count), MOST_WEIGHT)
    follow = prior or _cubic(codes, values, weights)
    rest, at, bend = values - follow(codes), _tetrahedral(codes, size), _thin_plate(size)
    error, smooth, start = _smoothness(rest, at, bend, weights)
    if error > MOST_ERROR:
        raise CannotMatch(f"No smooth table fits both pictures: samples left out are {error * 1023:.0f} codes off.")
    everything = np.ones(len(codes), bool)
    now, off, sigma = weights, np.zeros(len(codes)), 1.0
    for turn in range(ROUNDS):
        start = _solved(rest, at, bend, now, smooth, everything, start, 1e-4 if turn == ROUNDS - 1 else 1e-3)
        off = np.linalg.norm(at @ start - rest, axis=1)
        sigma = 1.4826 * float(np.median(off)) + 2e-4
        now = weights / (1 + (off / (3 * sigma)) ** 2)
    nodes = lattice(size).reshape(-1, 3).astype(np.float64)
    seen = np.asarray(at.T @ now).reshape(size, size, size)
    distance = np.asarray(distance_transform_edt(seen < 0.5))
    table = (start + follow(nodes)).reshape(size, size, size, 3).astype(np.float32)
    return Recovered(Lut3D(table, title="Recovered"), distance, error, spread, float((off < 6 * sigma).mean()))


def _cells(mine: Float64, its: Float64) -> tuple[Float64, Float64, Float64, float]:
    """Mean codes, median values, counts of small cells; how far values are apart within one, their slope taken off."""
    place = np.clip(mine * CELLS, 0, CELLS - 1).astype(int)
    _, index, count = np.unique(
        np.ravel_multi_index(tuple(place.T), (CELLS,) * 3), return_inverse=True, return_counts=True
    )
    codes = np.column_stack([np.bincount(index, mine[:, c]) / count for c in range(3)])
    # Medians of what they became: a title or a window over a small part of the picture does not pull.
    middle = np.concatenate([[0], np.cumsum(count)[:-1]]) + count // 2
    values = np.column_stack([its[np.lexsort((its[:, c], index))[middle], c] for c in range(3)])
    some = count[index] >= 4
    if some.sum() < 100:
        return codes, values, count.astype(float), 0.0
    dx, dy = (mine - codes[index])[some], (its - values[index])[some]
    dy = dy - dx @ np.linalg.lstsq(dx, dy, rcond=None)[0]
    return codes, values, count.astype(float), float(1.4826 * np.median(np.abs(dy)))


def _powers(codes: Float64) -> Float64:
    r, g, b = (codes - 0.5).T
    second = [r * r, g * g, b * b, r * g, g * b, r * b]
    third = [r**3, g**3, b**3, r * r * g, r * r * b, g * g * r, g * g * b, b * b * r, b * b * g, r * g * b]
    return np.column_stack([np.ones_like(r), r, g, b, *second, *third])


def _cubic(codes: Float64, values: Float64, weights: Float64) -> Prior:
    """A polynomial of degree 3, held a little to straightness; what stands out pulls less."""
    basis, w = _powers(codes), weights
    ridge = np.diag([0, 1, 1, 1] + [10] * 16) * 1e-4 * w.sum()
    found = np.zeros((20, 3))
    for _ in range(2):
        found = np.linalg.solve((basis * w[:, None]).T @ basis + ridge, (basis * w[:, None]).T @ values)
        off = np.linalg.norm(values - basis @ found, axis=1)
        w = weights / (1 + (off / (6 * float(np.median(off)) + 1e-3)) ** 2)
    return lambda at: np.asarray(_powers(at) @ found)


def _tetrahedral(codes: Float64, n: int) -> Any:
    """Sparse weights (N, n³) of the four nodes around each code."""
    x = np.clip(codes, 0, 1) * (n - 1)
    cell = np.minimum(x.astype(int), n - 2)
    part = x - cell
    order = np.argsort(-part, axis=1, kind="stable")
    p = np.take_along_axis(part, order, axis=1)
    step = np.array([n * n, n, 1])
    nodes = [cell @ step]
    for k in range(3):
        nodes.append(nodes[-1] + step[order[:, k]])
    value = np.column_stack([1 - p[:, 0], p[:, 0] - p[:, 1], p[:, 1] - p[:, 2], p[:, 2]])
    rows = np.repeat(np.arange(len(codes)), 4)
    return sparse.csr_matrix((value.ravel(), (rows, np.column_stack(nodes).ravel())), shape=(len(codes), n**3))


def _thin_plate(n: int) -> Any:
    """Squared second differences along the axes and mixed ones (n³, n³): straight tables cost nothing."""
    one = sparse.identity(n, format="csr")
    second = sparse.diags([1.0, -2.0, 1.0], [0, 1, 2], shape=(n - 2, n), format="csr")
    first = sparse.diags([-1.0, 1.0], [0, 1], shape=(n - 1, n), format="csr")
    parts = [(second, one, one), (one, second, one), (one, one, second)]
    mixed = [(first, first, one), (first, one, first), (one, first, first)]
    total = sparse.csr_matrix((n**3, n**3))
    for factor, group in ((1, parts), (2, mixed)):
        for a, b, c in group:
            d = sparse.kron(sparse.kron(a, b), c, format="csr")
            total = total + factor * d.T @ d
    return total


def _smoothness(rest: Float64, at: Any, bend: Any, weights: Float64) -> tuple[float, float, Float64]:
    """The least left-out deviation, how smooth that was, and a start for the rest."""
    out = np.random.default_rng(5).random(len(rest)) < LEFT_OUT
    found = np.zeros((bend.shape[0], 3))
    best = (np.inf, SMOOTH[0])
    for smooth in SMOOTH:
        found = _solved(rest, at, bend, weights, smooth, ~out, found, 1e-3)
        off = np.sort(np.linalg.norm(at[out] @ found - rest[out], axis=1))
        error = float(np.sqrt(np.mean(off[: int(0.95 * len(off)) + 1] ** 2) / 3))
        best = min(best, (error, smooth))
    return best[0], best[1], found


def _solved(
    rest: Float64, at: Any, bend: Any, weights: Float64, smooth: float, keep: Any, start: Float64, tight: float
) -> Float64:
    a, w = at[keep], weights[keep]
    scale = float(weights.sum()) / bend.shape[0]
    one = sparse.identity(bend.shape[0], format="csr")
    system = (a.T @ a.multiply(w[:, None]) + smooth * scale * bend + PULL * scale * one).tocsr()
    inverse = sparse.diags(1 / system.diagonal())
    found = np.empty_like(start)
    for c in range(3):
        found[:, c], _ = cg(system, a.T @ (w * rest[keep, c]), x0=start[:, c], rtol=tight, maxiter=400, M=inverse)
    return found
