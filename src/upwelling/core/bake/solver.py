"""The smallest table that holds: every grid a receiver takes, and where the format has one, the best shaper before it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from upwelling.core.bake.exact import exact
from upwelling.core.bake.lut_box import LutBox
from upwelling.core.bake.make import Progress, cube, cube_after, no_report
from upwelling.core.bake.order import FITTED_UP_TO, BakeOrder, Entries, Shaper
from upwelling.core.bake.samples import FRAME_SET, SEED, FrameSample, sample_sets
from upwelling.core.bake.shaper import PARTS, bend_of, curvature_density, shaper_of
from upwelling.core.bake.tolerances import Tolerances, tolerances_for
from upwelling.core.lut import Lut1D

Places = NDArray[np.intp]
_WORST, _CHANCE = 60, 1200
"""Samples of each set that the search looks at."""
_BANDS, _FACTORS, _NEARLY = 16, (2.0, 1.5, 1.2, 1.1), 1.25
"""The search moves the density of this many bands of the domain, by a smaller factor each turn; the last turn is for what nearly holds."""


class Tried(BaseModel):
    """One candidate: its figures in ΔE, and ``share``, the largest of them over its limit (1 or less holds).

    ``worst`` is the largest error of all samples; ``strays``: it is beyond the limit for the worst place, which ``share`` leaves out, so
    that the table holds for pictures alone.
    """

    model_config = ConfigDict(frozen=True)
    size: int
    shaper: Shaper
    entries: Entries = "sampled"
    density: tuple[float, ...] = ()
    neutral_max: float
    picture_p99: float | None
    picture_max: float | None
    p99: float
    median: float
    worst: float
    strays: bool
    share: float

    @property
    def holds(self) -> bool:
        return self.share <= 1

    def said(self) -> str:
        """The kind of table."""
        return f"{self.size}³" + (" after a shaper" if self.shaper != "none" else "") + (" with fitted entries" if self.entries == "fitted" else "")

    @property
    def wish(self) -> dict[str, Any]:
        """What of an order it stands for."""
        return {"size": self.size, "shaper": self.shaper, "density": self.density, "entries": self.entries}


class Solution(BaseModel):
    """All candidates, smallest grid first, and the smallest that holds, everywhere if one does (None: none does; ``nearest`` is the best there is)."""

    model_config = ConfigDict(frozen=True)
    tried: tuple[Tried, ...]
    chosen: Tried | None
    nearest: Tried

    @classmethod
    def of(cls, tried: Sequence[Tried]) -> Solution:
        holding = sorted((t for t in tried if t.holds), key=lambda t: (t.strays, t.size, t.shaper != "none", t.entries != "sampled"))
        return cls(tried=tuple(tried), chosen=holding[0] if holding else None, nearest=min(tried, key=lambda t: t.share))

    @property
    def best(self) -> Tried:
        return self.chosen or self.nearest

    def said(self) -> str:
        """The result as a sentence."""
        best = self.best
        if self.chosen is None:
            return f"None of this receiver’s grids holds; {best.said()} comes nearest, {best.share:.1f} × the tolerance. The certificate will say what costs most."
        if best.strays:
            return f"{best.said()} is the smallest that holds within pictures; somewhere in the cube it strays by ΔE {best.worst:.1f} or more."
        return f"{best.said()} is the smallest that holds."


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

    Entries are fitted (in grids that can be), and a shaper is searched for, where a grid does not hold without; a shaper found is tried again
    at larger ones. Raises BadValue as ``bake`` does.
    """
    order.check_carried()
    trial = _Trial(order, frames, tolerances or tolerances_for(order.judge.target.is_hdr))
    sizes = order.receiver.sizes(order.format)
    density: tuple[float, ...] = ()
    for index, size in enumerate(sizes):
        def part(share: float, at: int = index) -> float:
            return (at + share) / len(sizes)

        yield part(0.0), f"Trying a {size}³ grid", None
        plain = trial.plain(size)
        fit = not plain.holds and size <= FITTED_UP_TO
        yield part(0.1), f"Fitting the entries of a {size}³ grid" if fit else f"Tried a {size}³ grid", plain
        fitted = trial.plain(size, "fitted") if fit else plain
        if fitted is not plain:
            yield part(0.2), f"Fitted the entries of a {size}³ grid", fitted
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
        if fit and not fitted.holds and not found.holds:
            yield part(1.0), f"Fitted the entries of a {size}³ grid after a shaper", trial.shaped(size, density, entries="fitted")


class _Trial:
    """The samples of a verification, seen through the exact path once, and candidates held against them; a part of them for the search."""

    def __init__(self, order: BakeOrder, frames: Sequence[FrameSample], limits: Tolerances) -> None:
        self.order, self.limits = order, limits
        sets = sample_sets(order, frames)
        self.codes = np.concatenate(list(sets.values()))
        self.right = order.judge.seen(order.held(exact(order.operations, self.codes)))
        ends = np.cumsum([len(codes) for codes in sets.values()])
        self.all: dict[str, Places] = {name: np.arange(end - len(codes), end) for (name, codes), end in zip(sets.items(), ends, strict=True)}
        rng = np.random.default_rng(SEED)
        self.chance: dict[str, Places] = {name: rng.choice(places, min(_CHANCE, len(places)), replace=False) for name, places in self.all.items()}
        self.worst: dict[str, Places] = {name: places[:0] for name, places in self.all.items()}
        self.bend = bend_of(order) if order.format == "clf" else 0.0

    def plain(self, size: int, entries: Entries = "sampled") -> Tried:
        one = self._order(size, entries)
        return self._figures(one, (), LutBox(one.receiver, cube_after(one, None, cube(one, None, ""))), whole=True)

    def shaped(self, size: int, density: Sequence[float], whole: bool = True, entries: Entries = "sampled") -> Tried:
        """A cube after a shaper on all samples, or for the search on a part of them."""
        one = self._order(size, entries)
        # Rounded as it will be kept with the order, so that the table baked is the table tried.
        kept = tuple(float(f"{v:.4g}") for v in np.asarray(density) / np.mean(density))
        shaper: Lut1D = shaper_of(kept, self.bend, size)
        return self._figures(one, kept, LutBox(one.receiver, cube_after(one, shaper, cube(one, shaper, ""))), whole)

    def search(self, size: int, known: Sequence[float], thorough: bool) -> Iterator[tuple[float, Tried]]:
        """The best candidate on all samples so far, with how much of the search is done: the likeliest starts, then band by band up and down.

        A band is moved on a part of the samples; before each turn what was worst on all of them joins the part.
        """
        starts = [self.shaped(size, start) for start in (*((known,) if known else ()), np.ones(PARTS), curvature_density(self.order))]
        best = min(starts, key=lambda t: t.share)
        yield 0.1, best
        band = np.arange(PARTS) * _BANDS // PARTS
        for turn, factor in enumerate(_FACTORS if thorough else ()):
            if factor == _FACTORS[-1] and not 1 < best.share < _NEARLY:
                break
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

    def _order(self, size: int, entries: Entries) -> BakeOrder:
        return self.order.model_copy(update={"size": size, "dimensions": 3, "shaper": "none", "density": (), "entries": entries})

    def _figures(self, one: BakeOrder, density: tuple[float, ...], box: LutBox, whole: bool) -> Tried:
        """As the verification has them. Of a part: the worst of all errors in it, and shares of its samples by chance.

        On all samples, those of each set that are furthest off join the part that the search looks at.
        """
        places = self.all if whole else {name: np.concatenate([self.chance[name], self.worst[name]]) for name in self.all}
        at = np.concatenate(list(places.values()))
        apart = self.order.judge.apart(self.right[at], self.order.judge.seen(box.apply(self.codes[at])))
        errors = dict(zip(places, np.split(apart, np.cumsum([len(some) for some in places.values()])[:-1]), strict=True))
        if whole:
            for name, found in errors.items():
                self.worst[name] = np.union1d(self.worst[name], self.all[name][np.argsort(found)[::-1][:_WORST]])
        counted = None if whole else _CHANCE
        limits, everything = self.limits, np.concatenate([found[:counted] for found in errors.values()])
        pictures = [found for name, found in errors.items() if name.startswith(FRAME_SET)]
        neutral, p99, median = float(errors["neutral axis"].max()), float(np.percentile(everything, 99)), float(np.median(everything))
        shares = [neutral / limits.neutral_max, p99 / limits.anywhere_p99, median / limits.anywhere_median]
        picture_p99 = picture_max = None
        if pictures:
            picture_p99, picture_max = max(float(np.percentile(found[:counted], 99)) for found in pictures), max(float(found.max()) for found in pictures)
            shares += [picture_p99 / limits.picture_p99, picture_max / limits.picture_max]
        worst = float(apart.max())
        return Tried(size=one.size, shaper="adapted" if density else "none", entries=one.entries, density=density, neutral_max=neutral, picture_p99=picture_p99, picture_max=picture_max, p99=p99, median=median,
                     worst=worst, strays=worst > limits.anywhere_max, share=max(shares))
