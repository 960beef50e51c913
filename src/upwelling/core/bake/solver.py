"""The smallest table that holds: every grid a receiver takes, with and without a shaper, on a part of the test samples."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from pydantic import BaseModel, ConfigDict

from upwelling.core.bake.exact import exact
from upwelling.core.bake.lut_box import LutBox
from upwelling.core.bake.make import Progress, bake, no_report
from upwelling.core.bake.order import BakeOrder, Shaper
from upwelling.core.bake.samples import SEED, FrameSample
from upwelling.core.bake.tolerances import Tolerances

_STRATA, _NEUTRAL, _FRAME = 18, 1024, 3000


class Tried(BaseModel):
    """One candidate: its figures in ΔE, and ``share``, the largest of them over its limit (1 or less holds)."""

    model_config = ConfigDict(frozen=True)
    size: int
    shaper: Shaper
    neutral_max: float
    picture_max: float | None
    p99: float
    median: float
    share: float
    entries: int

    @property
    def holds(self) -> bool:
        return self.share <= 1


class Solution(BaseModel):
    """All candidates, smallest grid first, and the smallest that holds (None: none does; then ``nearest`` is the best there is)."""

    model_config = ConfigDict(frozen=True)
    tried: tuple[Tried, ...]
    chosen: Tried | None
    nearest: Tried


def solve(order: BakeOrder, *, frames: Sequence[FrameSample] = (), tolerances: Tolerances | None = None, progress: Progress = no_report) -> Solution:
    """Tries every grid of the order's receiver in its format. The full verification still has the last word on the one chosen."""
    limits = tolerances or Tolerances()
    rng = np.random.default_rng(SEED)
    cells = np.stack(np.meshgrid(*[np.arange(_STRATA)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    spread = (cells + rng.random(cells.shape)) / _STRATA
    neutral = np.repeat(np.linspace(0.0, 1.0, _NEUTRAL)[:, None], 3, axis=1)
    pictures = [f.codes[rng.choice(len(f.codes), min(_FRAME, len(f.codes)), replace=False)] for f in frames]
    codes = order.snapped(np.concatenate([neutral, spread, *pictures]))
    right = order.judge.seen(order.held(exact(order.operations, codes)))
    shapers: tuple[Shaper, ...] = ("none", "adapted") if order.format == "clf" else ("none",)
    sizes = order.receiver.sizes(order.format)
    tried: list[Tried] = []
    for index, size in enumerate(sizes):
        for shaper in shapers:
            progress((index + 0.5) / len(sizes), f"Trying a {size}³ grid" + (" after a shaper" if shaper != "none" else ""))
            one = order.model_copy(update={"size": size, "shaper": shaper, "dimensions": 3})
            apart = order.judge.apart(right, order.judge.seen(LutBox(order.receiver, bake(one)).apply(codes)))
            tried.append(_tried(size, shaper, apart, bool(pictures), limits))
    chosen = next((t for t in sorted(tried, key=lambda t: (t.size, t.shaper != "none")) if t.holds), None)
    return Solution(tried=tuple(tried), chosen=chosen, nearest=min(tried, key=lambda t: t.share))


def _tried(size: int, shaper: Shaper, apart: np.ndarray, framed: bool, limits: Tolerances) -> Tried:
    neutral, rest, frames = apart[:_NEUTRAL], apart[_NEUTRAL:_NEUTRAL + _STRATA**3], apart[_NEUTRAL + _STRATA**3:]
    p99, median = float(np.percentile(rest, 99)), float(np.median(rest))
    shares = [neutral.max() / limits.neutral_max, p99 / limits.anywhere_p99, median / limits.anywhere_median]
    if framed:
        shares += [np.percentile(frames, 99) / limits.picture_p99, frames.max() / limits.picture_max]
    return Tried(size=size, shaper=shaper, neutral_max=float(neutral.max()), picture_max=float(frames.max()) if framed else None, p99=p99, median=median,
                 share=float(max(shares)), entries=size**3)
