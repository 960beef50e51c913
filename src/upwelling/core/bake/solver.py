"""The smallest table that holds: every grid a receiver takes, and where the format has one, the best shaper before it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict

from upwelling.core.arrays import Float64
from upwelling.core.bake.exact import exact
from upwelling.core.bake.lut_box import LutBox
from upwelling.core.bake.make import Progress, cube, cube_after, no_report
from upwelling.core.bake.order import BakeOrder, Shaper
from upwelling.core.bake.samples import FRAME_SET, SEED, FrameSample, sample_sets
from upwelling.core.bake.shaper import PARTS, bend_of, curvature_density, shaper_of
from upwelling.core.bake.tolerances import Tolerances
from upwelling.core.lut import Lut1D

_WORST, _CHANCE = 60, 2500
"""Samples of each set that the search looks at."""
_BANDS, _FACTORS = 16, (2.0, 1.5, 1.2)
"""The search moves the density of this many bands of the domain, first by the larger factor, then by the smaller one."""


class Tried(BaseModel):
    """One candidate: its figures in ΔE, and ``share``, the largest of them over its limit (1 or less holds)."""

    model_config = ConfigDict(frozen=True)
    size: int
    shaper: Shaper
    density: tuple[float, ...] = ()
    neutral_max: float
    picture_p99: float | None
    picture_max: float | None
    p99: float
    median: float
    share: float

    @property
    def holds(self) -> bool:
        return self.share <= 1

    def said(self) -> str:
        """The kind of table."""
        return f"{self.size}³" + (" after a shaper" if self.shaper != "none" else "")


class Solution(BaseModel):
    """All candidates, smallest grid first, and the smallest that holds (None: none does; then ``nearest`` is the best there is)."""

    model_config = ConfigDict(frozen=True)
    tried: tuple[Tried, ...]
    chosen: Tried | None
    nearest: Tried

    @classmethod
    def of(cls, tried: Sequence[Tried]) -> Solution:
        chosen = next((t for t in sorted(tried, key=lambda t: (t.size, t.shaper != "none")) if t.holds), None)
        return cls(tried=tuple(tried), chosen=chosen, nearest=min(tried, key=lambda t: t.share))


def solve(order: BakeOrder, *, frames: Sequence[FrameSample] = (), tolerances: Tolerances | None = None, progress: Progress = no_report) -> Solution:
    """Tries every grid of the order's receiver in its format. The full verification still has the last word on the one chosen."""
    tried: list[Tried] = []
    for done, message, found in tries(order, frames=frames, tolerances=tolerances):
        progress(done, message)
        if found is not None:
            tried.append(found)
    return Solution.of(tried)


def tries(order: BakeOrder, *, frames: Sequence[FrameSample] = (), tolerances: Tolerances | None = None) -> Iterator[tuple[float, str, Tried | None]]:
    """One candidate after the other: how far it is (0…1), what is under way, and the candidate when it is done.

    A shaper is searched for at every grid that does not hold without one, and tried as it was found before at the larger ones.
    """
    trial = _Trial(order, frames, tolerances or Tolerances())
    sizes = order.receiver.sizes(order.format)
    density: tuple[float, ...] = ()
    for index, size in enumerate(sizes):
        def part(share: float, at: int = index) -> float:
            return (at + share) / len(sizes)

        yield part(0.0), f"Trying a {size}³ grid", None
        plain = trial.plain(size)
        yield part(0.2), f"Tried a {size}³ grid", plain
        if order.format != "clf":
            continue
        if plain.holds and density:
            yield part(1.0), f"Tried a {size}³ grid after a shaper", trial.shaped(size, density)
            continue
        found = plain
        for share, better in trial.search(size, density, thorough=not plain.holds):
            found = better
            yield part(0.2 + 0.8 * share), f"Looking for the best shaper before a {size}³ grid", None
        density = found.density
        yield part(1.0), f"Tried a {size}³ grid after a shaper", found


class _Trial:
    """The samples of a verification, seen through the exact path once, and candidates held against them; a part of them for the search."""

    def __init__(self, order: BakeOrder, frames: Sequence[FrameSample], limits: Tolerances) -> None:
        self.order, self.limits = order, limits
        self.sets = sample_sets(order, frames)
        self.right = {name: self._exact(codes) for name, codes in self.sets.items()}
        rng = np.random.default_rng(SEED)
        self.chance = {name: rng.choice(len(codes), min(_CHANCE, len(codes)), replace=False) for name, codes in self.sets.items()}
        self.worst: dict[str, Any] = {name: np.zeros(0, dtype=np.intp) for name in self.sets}
        self.bend = bend_of(order) if order.format == "clf" else 0.0

    def plain(self, size: int) -> Tried:
        one = self._order(size)
        box = LutBox(one.receiver, cube_after(one, None, cube(one, None, "")))
        errors = {name: self._errors(box, self.sets[name], self.right[name]) for name in self.sets}
        self._look_at_worst(errors)
        return self._figures(size, "none", (), errors)

    def shaped(self, size: int, density: Sequence[float], whole: bool = True) -> Tried:
        """A cube after a shaper on all samples, or for the search on a part of them."""
        one = self._order(size)
        # Rounded as it will be kept with the order, so that the table baked is the table tried.
        kept = tuple(float(f"{v:.4g}") for v in np.asarray(density) / np.mean(density))
        shaper: Lut1D = shaper_of(kept, self.bend, size)
        box = LutBox(one.receiver, cube_after(one, shaper, cube(one, shaper, "")))
        if whole:
            errors = {name: self._errors(box, codes, self.right[name]) for name, codes in self.sets.items()}
            self._look_at_worst(errors)
            return self._figures(size, "adapted", kept, errors)
        some = {name: np.concatenate([self.chance[name], self.worst[name]]) for name in self.sets}
        return self._figures(size, "adapted", kept, {name: self._errors(box, self.sets[name][at], self.right[name][at]) for name, at in some.items()}, _CHANCE)

    def search(self, size: int, known: Sequence[float], thorough: bool) -> Iterator[tuple[float, Tried]]:
        """The best candidate on all samples so far, with how much of the search is done: the likeliest starts, then band by band up and down.

        A band is moved on a part of the samples; before each turn what was worst on all of them joins the part.
        """
        starts = [self.shaped(size, start) for start in (*((known,) if known else ()), np.ones(PARTS), curvature_density(self.order))]
        best = min(starts, key=lambda t: t.share)
        yield 0.1, best
        band = np.arange(PARTS) * _BANDS // PARTS
        for turn, factor in enumerate(_FACTORS if thorough else ()):
            now = self.shaped(size, best.density, whole=False)
            for index in range(_BANDS):
                for change in (factor, 1 / factor):
                    tried = self.shaped(size, np.where(band == index, change, 1.0) * np.asarray(now.density), whole=False)
                    if tried.share < now.share:
                        now = tried
                        break
                yield 0.1 + 0.9 * (turn * _BANDS + index + 1) / (len(_FACTORS) * _BANDS), best
            best = min(best, self.shaped(size, now.density), key=lambda t: t.share)
        yield 1.0, best

    def _order(self, size: int) -> BakeOrder:
        return self.order.model_copy(update={"size": size, "dimensions": 3, "shaper": "none", "density": ()})

    def _exact(self, codes: Float64) -> Float64:
        return self.order.judge.seen(self.order.held(exact(self.order.operations, codes)))

    def _errors(self, box: LutBox, codes: Float64, right: Float64) -> Float64:
        return self.order.judge.apart(right, self.order.judge.seen(box.apply(codes)))

    def _look_at_worst(self, errors: dict[str, Float64]) -> None:
        """Beside samples by chance, the search looks at those of each set that were furthest off in any candidate so far."""
        for name, apart in errors.items():
            self.worst[name] = np.union1d(self.worst[name], np.argsort(apart)[::-1][:_WORST])

    def _figures(self, size: int, shaper: Shaper, density: tuple[float, ...], errors: dict[str, Float64], by_chance: int | None = None) -> Tried:
        """As the verification has them: the worst of all errors, shares of the first ``by_chance`` of each set (None: of all)."""
        limits, everything = self.limits, np.concatenate([apart[:by_chance] for apart in errors.values()])
        pictures = [apart for name, apart in errors.items() if name.startswith(FRAME_SET)]
        neutral, p99, median = float(errors["neutral axis"].max()), float(np.percentile(everything, 99)), float(np.median(everything))
        shares = [neutral / limits.neutral_max, p99 / limits.anywhere_p99, median / limits.anywhere_median]
        picture_p99 = picture_max = None
        if pictures:
            picture_p99, picture_max = max(float(np.percentile(apart[:by_chance], 99)) for apart in pictures), max(float(apart.max()) for apart in pictures)
            shares += [picture_p99 / limits.picture_p99, picture_max / limits.picture_max]
        return Tried(size=size, shaper=shaper, density=density, neutral_max=neutral, picture_p99=picture_p99, picture_max=picture_max, p99=p99, median=median,
                     share=max(shares))
