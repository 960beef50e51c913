"""Entries fitted to the receiver's interpolation: moved a little off the path, so that what comes out between them is nearest to it.

A sampled cube is right at its grid points and errs to one side between them, most where a receiver mixes eight corners: greys then ripple from
point to point. Here the entries t solve min Σ w·dᵀGd + Σ λ·(t − sampled)², d = what is interpolated less the exact code, over samples spread through
the cube, near neutral and on it. G is the local metric of ΔE at the exact code, by finite differences, so that the sum is one of squared ΔE.
The form and the weights are our own; the solution is by conjugate gradients with a diagonal preconditioner (Hestenes and Stiefel 1952).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from scipy import sparse

from upwelling.core.arrays import Float32, Float64
from upwelling.core.bake.exact import exact
from upwelling.core.bake.order import BakeOrder
from upwelling.core.lut import Interpolation, Lut1D

SEED = 1952
_SPREAD, _NEAR, _NEUTRAL = 0.5, 0.5, 25.0
"""Weights of a sample anywhere, near neutral (where pictures are), and on neutral."""
_NEAR_BY = ((30_000, 0.02), (60_000, 0.07))
"""How many samples lie how far (standard deviation of code) from neutral."""
_RIDGE, _SHARE, _ROUNDS = 3.0, 0.02, 20
"""What holds an entry to its sampled value: a little for all, and a share of what the samples say of it."""
_PROBE = 2e-3
"""Step of code by which the metric is found."""


def fitted_entries(order: BakeOrder, sampled: Float32, shaper: Lut1D | None = None) -> Float32:
    """The entries (n, n, n, 3) of an order's cube, fitted; ``sampled`` are those at the grid points. Always the same for the same order."""
    n = order.size
    codes, weight = _samples(n)
    right = order.held(exact(order.operations, codes))
    metric = _metric(order, right) * weight[:, None, None]
    mix = interpolation_weights(codes if shaper is None else shaper.apply(codes).astype(np.float64), n, order.receiver.interpolation)
    gather = mix.T.tocsr()
    start = sampled.reshape(-1, 3).astype(np.float64)
    said = gather.multiply(gather) @ np.stack([metric[:, c, c] for c in range(3)], axis=1)
    ridge = _RIDGE + _SHARE * said
    scale = said + ridge

    def pull(moved: Float64) -> Float64:
        return np.asarray(gather @ np.einsum("nij,nj->ni", metric, mix @ moved) + ridge * moved)

    moved = np.zeros_like(start)
    rest = np.asarray(gather @ np.einsum("nij,nj->ni", metric, right - mix @ start))
    step = rest / scale
    size = float((rest * step).sum())
    for _ in range(_ROUNDS):
        pulled = pull(step)
        length = size / max(float((step * pulled).sum()), 1e-30)
        moved, rest = moved + length * step, rest - length * pulled
        turned = rest / scale
        after = float((rest * turned).sum())
        step, size = turned + after / max(size, 1e-30) * step, after
    return np.ascontiguousarray(order.held(start + moved).reshape(sampled.shape), dtype=np.float32)


def _samples(n: int) -> tuple[Float64, Float64]:
    """Input codes (N, 3) and their weights (N,)."""
    rng = np.random.default_rng(SEED)
    m = int(np.clip(1.7 * n, 20, 56))
    cells = np.stack(np.meshgrid(*[np.arange(m)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    near = np.concatenate([np.repeat(rng.random((count, 1)), 3, axis=1) + rng.normal(0.0, away, (count, 3)) for count, away in _NEAR_BY])
    near = near[((near >= 0) & (near <= 1)).all(axis=1)]
    parts = ((cells + rng.random(cells.shape)) / m, near, np.repeat(np.linspace(0.0, 1.0, 2049)[:, None], 3, axis=1))
    return np.concatenate(parts), np.concatenate([np.full(len(part), weight) for part, weight in zip(parts, (_SPREAD, _NEAR, _NEUTRAL), strict=True)])


def _metric(order: BakeOrder, right: Float64) -> Float64:
    """G (N, 3, 3): ΔE² of a small difference d of output code is dᵀGd. Probed towards the inside of 0…1, and never singular."""
    judge = order.judge
    seen, inward = judge.seen(right), np.where(right > 0.5, -1.0, 1.0) * _PROBE

    def squared(*channels: int) -> Float64:
        away = np.zeros(3)
        away[list(channels)] = 1.0
        return np.asarray(judge.apart(seen, judge.seen(right + inward * away)) ** 2)

    metric = np.empty((len(right), 3, 3))
    alone = [squared(c) for c in range(3)]
    for i in range(3):
        metric[:, i, i] = alone[i] / _PROBE**2
        for j in range(i):
            metric[:, i, j] = metric[:, j, i] = (squared(i, j) - alone[i] - alone[j]) / (2 * inward[:, i] * inward[:, j])
    return np.asarray(metric + (0.02 / 3 * np.trace(metric, axis1=1, axis2=2) + 1e-6)[:, None, None] * np.eye(3))


def interpolation_weights(codes: Any, n: int, interpolation: Interpolation) -> Any:
    """The share (N, n³), sparse, that each entry has in the output at ``codes`` (N, 3); entries are counted blue fastest."""
    place = np.clip(codes, 0.0, 1.0) * (n - 1)
    cell = np.minimum(place.astype(np.int64), n - 2)
    share, stride = place - cell, np.array([n * n, n, 1])
    base = cell @ stride
    if interpolation == "tetrahedral":
        order = np.argsort(-share, axis=1, kind="stable")
        falling = np.take_along_axis(share, order, axis=1)
        entries = base[:, None] + np.concatenate([np.zeros((len(base), 1), np.int64), np.cumsum(stride[order], axis=1)], axis=1)
        bounds = np.concatenate([np.ones((len(base), 1)), falling, np.zeros((len(base), 1))], axis=1)
        shares = bounds[:, :-1] - bounds[:, 1:]
    else:
        corners = np.array([(r, g, b) for r in (0, 1) for g in (0, 1) for b in (0, 1)])
        entries = base[:, None] + corners @ stride
        shares = np.prod(np.where(corners[None] == 1, share[:, None], 1 - share[:, None]), axis=-1)
    count = shares.shape[1]
    return sparse.csr_matrix((shares.ravel(), entries.ravel(), np.arange(0, shares.size + 1, count)), shape=(len(base), n**3))
