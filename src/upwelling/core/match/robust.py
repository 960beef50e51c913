"""Fitting a model to colours that correspond, so that what does not belong does not pull; and choosing how much to
correct.

Errors are Oklab ×100 of light brought to mid grey. The loss is Huber's (P. J. Huber, "Robust estimation of a location
parameter", 1964) first and Cauchy's at twice the robust deviation then, by Levenberg–Marquardt steps over reweighted
squares. A richer model must earn its place on samples left out; the thresholds are our own, found on rendered scenes.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.match.light import Space, to_grey
from upwelling.core.match.models import FEWEST, LADDER, SIZES, apply, bounds, started

HUBER = 2.0
LEAST_SPREAD = 0.25
"""Oklab ×100: the least robust deviation taken."""
RIDGE = 0.05
"""How strongly matrix and slopes are drawn to the simpler model, of the samples' weight."""
TRIM = 0.8
"""Share of the left-out samples, best first, whose mean error ranks the models."""
GAIN = (0.12, 0.05)
"""A richer model must lower the left-out error by this share and by this much of the one it replaces …"""
FOLDS_BETTER = 0.8
"""… and be better in this share of the folds: what one part of the picture gains by is chance."""
ENOUGH = 0.12
"""Left-out error, Oklab ×100, below which nothing richer is tried: an eighth of what is just noticed."""
OUTLIER = 3.5
FLOOR = 3.0
"""A sample is an outlier beyond so many robust deviations and this much, Oklab ×100."""
ROUNDS, NEAR_ROUNDS, NEAR = 12, 4, 1e-3
"""Steps at most of a fit, and of one from nearby, with the share of the error that is not worth another there."""
MOST = 160
"""Samples a model is chosen by; the one chosen is fitted to all of them."""
_BENT = 1e-4


@dataclass(frozen=True)
class Fit:
    """``errors`` (N,) and ``left_out`` by model in Oklab ×100; ``inlier`` (N,)."""

    model: str
    values: Float64
    errors: Float64
    inlier: Any
    left_out: dict[str, float] = field(default_factory=dict)


class Samples:
    """Colours to be changed (N, 3), what they should become (N, 3), weights (N,)."""

    def __init__(self, source: Any, wanted: Any, space: Space, weights: Any = None) -> None:
        self.source = np.asarray(source, dtype=np.float64)
        self.wanted = np.asarray(wanted, dtype=np.float64)
        self.space = space
        n = len(self.source)
        self.weights = np.ones(n) if weights is None else np.minimum(weights, 4 * np.median(weights))
        self.scale = to_grey(self.wanted, space)
        self.lab = space.lab100(self.wanted * self.scale)
        y = np.maximum(np.stack([self.wanted, self.source]) @ space.luminance, 1e-5)
        self.stops = float(np.median(np.log2(y[0] / y[1])))

    def __len__(self) -> int:
        return len(self.source)

    def part(self, keep: Any) -> Samples:
        """Some of them, judged at the same brightness."""
        made = object.__new__(Samples)
        made.source, made.wanted, made.space = self.source[keep], self.wanted[keep], self.space
        made.weights, made.scale, made.lab, made.stops = self.weights[keep], self.scale, self.lab[keep], self.stops
        return made

    def residuals(self, model: str, sets: Any) -> Float64:
        """(K, N, 3) of K sets of parameters."""
        made = np.maximum(apply(model, sets, self.source, self.space), -0.1)
        return self.space.lab100(made * self.scale) - self.lab

    def errors(self, model: str, p: Float64) -> Float64:
        """(N,) of one set."""
        return np.asarray(np.linalg.norm(self.residuals(model, p)[0], axis=-1))


def fit_model(model: str, start: Float64, samples: Samples) -> Float64:
    """The robust fit of one model from a start."""
    low, high = bounds(model)
    p = np.clip(start, low, high)
    rest = p.copy()
    p = _reweighted(model, p, rest, samples, lambda e: np.minimum(1.0, HUBER / np.maximum(e, 1e-9)))
    return _reweighted(model, p, rest, samples, _cauchy(model, p, samples))


def fit_near(model: str, start: Float64, samples: Samples) -> Float64:
    """The fit of most of the samples that ``start`` was found with: a few steps from there, for judging what is left
    out.
    """
    low, high = bounds(model)
    p = np.clip(start, low, high)
    return _reweighted(model, p, p.copy(), samples, _cauchy(model, p, samples), NEAR_ROUNDS, NEAR)


def _cauchy(model: str, p: Float64, samples: Samples) -> Callable[[Float64], Float64]:
    """Weights by errors at twice their robust deviation."""
    spread = max(LEAST_SPREAD, 1.4826 * float(np.median(samples.errors(model, p))))
    return lambda e: 1 / (1 + (e / (2 * spread)) ** 2)


def _reweighted(
    model: str,
    p: Float64,
    rest: Float64,
    samples: Samples,
    weigh: Callable[[Float64], Float64],
    rounds: int = ROUNDS,
    least: float = 1e-5,
) -> Float64:
    low, high = bounds(model)
    size, damping = SIZES[model], 1e-3
    hold = _holding(model, rest, samples)
    best = np.inf
    for _ in range(rounds):
        sets = p + np.vstack([np.zeros(size), np.eye(size) * _BENT])
        found = samples.residuals(model, sets)
        now = found[0]
        slope = ((found[1:] - now) / _BENT).reshape(size, -1)
        w = samples.weights * weigh(np.linalg.norm(now, axis=-1))
        spread = np.repeat(w, 3)
        normal = (slope * spread) @ slope.T + np.diag(hold)
        gradient = (slope * spread) @ now.ravel() + hold * (p - rest)
        step = np.linalg.solve(normal + damping * np.diag(np.diag(normal) + 1e-9), -gradient)
        tried = np.clip(p + step, low, high)
        before = float((w * (now**2).sum(axis=-1)).sum() + (hold * (p - rest) ** 2).sum())
        after_r = samples.residuals(model, tried)[0]
        after = float((w * (after_r**2).sum(axis=-1)).sum() + (hold * (tried - rest) ** 2).sum())
        if after < before:
            p, damping = tried, max(damping / 5, 1e-7)
            if before - after < least * before and abs(best - after) < 10 * least * after:
                break
            best = after
        else:
            damping *= 10
            if damping > 1e4:
                break
    return p


def _holding(model: str, rest: Float64, samples: Samples) -> Float64:
    """Pull of each parameter to where the search began: of a matrix and of slopes alone."""
    hold = np.zeros(len(rest))
    if model in ("matrix", "curve"):
        pull = RIDGE * float(samples.weights.sum())
        hold[:9] = pull / max(float(np.abs(rest[:9]).max()), 1e-6) ** 2
        hold[9:] = pull * (4.0 if model == "curve" else 1.0)
    if model == "root":
        hold[3:] = 0.1 * RIDGE * float(samples.weights.sum())
    return hold


class Chain(dict[str, Float64]):
    """Models fitted to samples when they are asked for, each from the one before it."""

    def __init__(self, samples: Samples, models: Sequence[str]) -> None:
        self._samples, self._models = samples, list(models)

    def __missing__(self, model: str) -> Float64:
        at = self._models.index(model)
        before = (self._models[at - 1], self[self._models[at - 1]]) if at else None
        start = started(model, before, self._samples.stops, self._samples.space)
        self[model] = fit_model(model, start, self._samples)
        return self[model]


def fit(
    samples: Samples,
    *,
    groups: Any = None,
    models: Sequence[str] = LADDER,
    least: str = "exposure",
    folds: int = 5,
    drop: bool = True,
) -> Fit:
    """Climbs the ladder from ``least`` while a richer model earns its place on samples left out by ``groups`` (N,).

    With ``drop`` outliers are dropped once and all is fitted again.
    """
    n = len(samples)
    names = [model for model in models if n >= FEWEST[model]]
    groups = np.arange(n) if groups is None else np.asarray(groups)
    inlier = np.ones(n, bool)
    model, values, left = _chosen(samples, inlier, groups, names, least, folds)
    errors = samples.errors(model, values)
    kept = errors <= max(FLOOR, OUTLIER * 1.4826 * float(np.median(errors)))
    if drop and not kept.all() and kept.sum() >= max(2, n // 2):
        inlier = kept
        model, values, left = _chosen(samples, inlier, groups, names, least, folds)
    return Fit(model, values, samples.errors(model, values), inlier, left)


def _chosen(
    samples: Samples, inlier: Any, groups: Any, names: Sequence[str], least: str, folds: int
) -> tuple[str, Float64, dict[str, float]]:
    everything, inlier = inlier, _thinned(inlier, groups)
    whole = Chain(samples.part(inlier), names)
    now = least if least in names else names[0]
    unique = np.unique(groups[inlier])
    count = min(folds, len(unique))
    if count < 2 or len(names) == 1:
        return now, fit_model(now, whole[now], samples.part(everything)), {}
    shuffled = np.random.default_rng(7).permutation(len(unique)) % count
    fold = shuffled[np.searchsorted(unique, np.clip(groups, unique[0], unique[-1])).clip(0, len(unique) - 1)]
    parts = [
        (samples.part(inlier & (fold != k)), samples.part(inlier & (fold == k)))
        for k in range(count)
        if (inlier & (fold != k)).any() and (inlier & (fold == k)).any()
    ]
    left: dict[str, list[float]] = {}
    score: dict[str, float] = {}
    for name in names[names.index(now) :]:
        rows = [test.errors(name, fit_near(name, whole[name], train)) for train, test in parts]
        left[name], score[name] = [_trimmed(row) for row in rows], _trimmed(np.concatenate(rows))
        better = np.mean([a < b for a, b in zip(left[name], left[now], strict=True)])
        if score[name] < score[now] * (1 - GAIN[0]) - GAIN[1] and better >= FOLDS_BETTER:
            now = name
        if score[now] < ENOUGH:
            break
    return now, fit_model(now, whole[now], samples.part(everything)), score


def _thinned(inlier: Any, groups: Any) -> Any:
    """At most MOST of the samples, evenly from all groups: enough to choose a model by."""
    if inlier.sum() <= MOST:
        return inlier
    order = np.argsort(groups, kind="stable")
    order = order[inlier[order]]
    kept = np.zeros(len(inlier), bool)
    kept[order[np.linspace(0, len(order) - 1, MOST).astype(int)]] = True
    return kept


def _trimmed(errors: Float64) -> float:
    return float(np.sort(errors)[: max(1, round(TRIM * len(errors)))].mean())
