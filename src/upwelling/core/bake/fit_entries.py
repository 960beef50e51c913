"""Entries fitted to the receiver's interpolation: moved a little off the path, so that what comes out between them is
nearest to it.

A sampled cube is right at its grid points and errs to one side between them, most where a receiver mixes eight corners:
greys then ripple from point to point. Here the entries t solve min Σ w·dᵀGd + Σ λ·(t − sampled)², d = what is
interpolated less the exact code, over samples spread through the cube, near neutral and on it. G is the local metric of
ΔE at the exact code, by finite differences, so that the sum is one of squared ΔE. The form and the weights are our own;
the solution is by conjugate gradients with a diagonal preconditioner (Hestenes and Stiefel 1952).
"""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core import engine
from upwelling.core.arrays import Float32, Float64
from upwelling.core.bake.fit_kernel import PARTS, predicted, pulled
from upwelling.core.bake.order import BakeOrder
from upwelling.core.kernels import KERNEL_LOCK
from upwelling.core.lut import Interpolation, Lut1D, Lut3D, lattice

SEED = 1952
_SPREAD, _NEAR, _NEUTRAL = 0.5, 0.5, 200.0
"""Weights of a sample anywhere, near neutral (where pictures are), and on neutral."""
_NEAR_BY = ((25_000, 0.02), (45_000, 0.07))
"""How many samples lie how far (standard deviation of code) from neutral."""
_RIDGE, _SHARE, _ROUNDS = 3.0, 0.02, 20
"""What holds an entry to its sampled value: a little for all, and a share of what the samples say of it."""
_HELD, _ENDS = 1e12, 1e-4
"""What holds entries of a flat end, and the code within which it is flat."""
_FARTHEST = 5.0
"""ΔE 2000 by which an entry may leave the path; of ΔE ITP three times as much."""
_PROBE = 2e-3
"""Step of code by which the metric is found."""
_SINGULAR = 1e-4
"""Share of a metric's size that its smallest part keeps."""
_LATTICE = 33
"""Points a side at which it is found."""


def fitted_entries(order: BakeOrder, sampled: Float32, shaper: Lut1D | None = None) -> Float32:
    """The entries (n, n, n, 3) of an order's cube, fitted; ``sampled`` are those at the grid points. Always the same
    for the same order.

    The exact codes come from the tile engine (within 1e-4 of code, by test); the metric is found on a lattice and
    interpolated to the samples.
    """
    n = order.size
    codes, weight, spread = _samples(n)
    right = order.held(engine.run(engine.compile_operations(order.operations), codes)).astype(np.float64)
    metric = np.ascontiguousarray(_metric(order, codes, right, spread) * weight[:, None], dtype=np.float32)
    placed = codes if shaper is None else shaper.apply(codes).astype(np.float64)
    places, shares = interpolation_weights(placed, n, order.receiver.interpolation)
    parts, heavy = np.empty((PARTS, n**3, 3)), np.empty((PARTS, n**3, 3))
    start = sampled.reshape(-1, 3).astype(np.float64)
    missed = right - np.einsum("nk,nkc->nc", shares, start[places])
    with KERNEL_LOCK:
        predicted(places, shares, metric, missed, parts, heavy)
    known = heavy.sum(axis=0)
    ridge = np.where(_flat(sampled).reshape(-1, 1), _HELD, _RIDGE + _SHARE * known)
    scale = known + ridge

    def pull(moved: Float64) -> Float64:
        with KERNEL_LOCK:
            pulled(places, shares, metric, moved, parts)
        return np.asarray(parts.sum(axis=0) + ridge * moved)

    moved = np.zeros_like(start)
    rest = parts.sum(axis=0)
    step = rest / scale
    size = float((rest * step).sum())
    for _ in range(_ROUNDS):
        pulled_now = pull(step)
        bend = float((step * pulled_now).sum())
        if bend <= 0 or size <= 0:
            break  # as near as float32 sums tell
        length = size / bend
        moved, rest = moved + length * step, rest - length * pulled_now
        turned = rest / scale
        after = float((rest * turned).sum())
        step, size = turned + after / max(size, 1e-30) * step, after
    fitted = np.ascontiguousarray(
        order.held(start + _not_far(order, start, moved)).reshape(sampled.shape), dtype=np.float32
    )
    grey = np.arange(n)
    if (np.diff(sampled[grey, grey, grey], axis=0) >= 0).all():
        fitted[grey, grey, grey] = np.maximum.accumulate(fitted[grey, grey, grey], axis=0)
    return fitted


def _flat(sampled: Float32) -> Any:
    """Which entries (n, n, n) lie within a flat end, black or white all round: moved at all they would ripple."""
    from scipy.ndimage import maximum_filter, minimum_filter  # loaded when first used: it takes a while

    black, white = maximum_filter(sampled.max(axis=-1), 3) < _ENDS, minimum_filter(sampled.min(axis=-1), 3) > 1 - _ENDS
    return black | white


def _not_far(order: BakeOrder, start: Float64, moved: Float64) -> Float64:
    """Moves (M, 3) shortened where they would put an entry further from the path than ``_FARTHEST``, as among colours
    no light can have.
    """
    judge = order.judge
    apart = judge.apart(judge.seen(start), judge.seen(order.held(start + moved)))
    farthest = _FARTHEST * (3 if judge.target.is_hdr else 1)
    return np.asarray(moved * np.minimum(1.0, farthest / np.maximum(apart, 1e-9))[:, None])


def _samples(n: int) -> tuple[Float64, Float64, int]:
    """Input codes (N, 3), their weights (N,), and how many of them, the first, are spread through the cube."""
    rng = np.random.default_rng(SEED)
    m = int(np.clip(1.7 * n, 20, 56))
    cells = np.stack(np.meshgrid(*[np.arange(m)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    near = np.concatenate(
        [np.repeat(rng.random((count, 1)), 3, axis=1) + rng.normal(0.0, away, (count, 3)) for count, away in _NEAR_BY]
    )
    near = near[((near >= 0) & (near <= 1)).all(axis=1)]
    parts = ((cells + rng.random(cells.shape)) / m, near, np.repeat(np.linspace(0.0, 1.0, 2049)[:, None], 3, axis=1))
    return (
        np.concatenate(parts),
        np.concatenate(
            [np.full(len(part), weight) for part, weight in zip(parts, (_SPREAD, _NEAR, _NEUTRAL), strict=True)]
        ),
        len(cells),
    )


def _metric(order: BakeOrder, codes: Float64, right: Float64, spread: int) -> Float32:
    """G of each sample (N, 6), its xx, yy, zz, xy, xz and yz: ΔE² of a small difference d of output code is dᵀGd.

    Of the first ``spread`` samples it is interpolated from a lattice; near neutral, where it changes fast towards
    black, it is found at each.
    """
    at = lattice(_LATTICE).reshape(-1, 3)
    exact = order.held(engine.run(engine.compile_operations(order.operations), at)).astype(np.float64)
    six = _metric_at(order, exact).reshape(_LATTICE, _LATTICE, _LATTICE, 6)
    halves = [Lut3D(np.ascontiguousarray(six[..., part], dtype=np.float32)) for part in (slice(0, 3), slice(3, 6))]
    wide = np.concatenate([half.apply(codes[:spread].astype(np.float32), "trilinear") for half in halves], axis=1)
    return np.concatenate([wide, _metric_at(order, right[spread:])])


def _metric_at(order: BakeOrder, right: Float64) -> Float32:
    """G (N, 6) at exact output codes, by differences towards the inside of 0…1, and never singular."""
    judge = order.judge
    seen, inward = judge.seen(right), np.where(right > 0.5, -1.0, 1.0) * _PROBE

    def squared(*channels: int) -> Float64:
        away = np.zeros(3)
        away[list(channels)] = 1.0
        return np.asarray(judge.apart(seen, judge.seen(right + inward * away)) ** 2)

    alone = [squared(c) for c in range(3)]
    mixed = [
        (squared(i, j) - alone[i] - alone[j]) / (2 * inward[:, i] * inward[:, j]) for i, j in ((0, 1), (0, 2), (1, 2))
    ]
    least = 0.02 / 3 * sum(alone) / _PROBE**2 + 1e-6
    return _definite(np.stack([*(own / _PROBE**2 + least for own in alone), *mixed], axis=-1)).astype(np.float32)


def _definite(metric: Float64) -> Float64:
    """The metric (N, 6) with what is not positive definite made so: differences across a bend can come out as no metric
    at all.
    """
    xx, yy, zz, xy, xz, yz = metric.T
    minor = xx * yy - xy**2
    whole = zz * minor + 2 * xy * xz * yz - xx * yz**2 - yy * xz**2
    bad = np.flatnonzero((minor < _SINGULAR * xx * yy) | (whole < _SINGULAR * xx * yy * zz))
    if len(bad):
        full = metric[bad][:, [0, 3, 4, 3, 1, 5, 4, 5, 2]].reshape(-1, 3, 3)
        values, vectors = np.linalg.eigh(full)
        held = np.maximum(values, _SINGULAR * values[:, -1:])
        made = np.einsum("nij,nj,nkj->nik", vectors, held, vectors).reshape(-1, 9)
        metric[bad] = made[:, [0, 4, 8, 1, 2, 5]]
    return metric


def interpolation_weights(codes: Any, n: int, interpolation: Interpolation) -> tuple[Any, Float32]:
    """The entries that mix in the output at ``codes`` (N, 3), counted blue fastest, int32 (N, K), and their shares (N,
    K).
    """
    place = np.clip(codes, 0.0, 1.0) * (n - 1)
    cell = np.minimum(place.astype(np.int64), n - 2)
    share, stride = place - cell, np.array([n * n, n, 1])
    base = cell @ stride
    if interpolation == "tetrahedral":
        order = np.argsort(-share, axis=1, kind="stable")
        falling = np.take_along_axis(share, order, axis=1)
        entries = base[:, None] + np.concatenate(
            [np.zeros((len(base), 1), np.int64), np.cumsum(stride[order], axis=1)], axis=1
        )
        bounds = np.concatenate([np.ones((len(base), 1)), falling, np.zeros((len(base), 1))], axis=1)
        shares = bounds[:, :-1] - bounds[:, 1:]
    else:
        corners = np.array([(r, g, b) for r in (0, 1) for g in (0, 1) for b in (0, 1)])
        entries = base[:, None] + corners @ stride
        sides = np.stack([1 - share, share])  # (2, N, 3): how much the lower and the upper point count
        shares = np.stack([sides[r, :, 0] * sides[g, :, 1] * sides[b, :, 2] for r, g, b in corners], axis=1)
    return np.ascontiguousarray(entries, dtype=np.int32), np.ascontiguousarray(shares, dtype=np.float32)
