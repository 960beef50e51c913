"""Candidates for a table, held against the samples of a verification that the exact path has seen once."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import ConfigDict

from upwelling.core.bake.display_cube import display_cube
from upwelling.core.bake.make import cube, cube_after, formulas
from upwelling.core.bake.order import BakeOrder, Entries, Shaper
from upwelling.core.bake.receivers import Receiver
from upwelling.core.bake.shaper import PARTS, bend_of, curvature_density, shaper_of
from upwelling.core.errors import BadValue
from upwelling.core.frozen import Frozen
from upwelling.core.lut import Lut1D, ProcessList
from upwelling.core.operations.exact import exact
from upwelling.core.proof.lut_box import LutBox, rounded
from upwelling.core.proof.pictures import SEED
from upwelling.core.proof.samples import SHIPPED_SET, FrameSample, as_of_pictures, judged_pictures, sample_sets
from upwelling.core.proof.tolerances import Tolerances
from upwelling.core.tables.formats import FormatName, first_with

Places = NDArray[np.intp]
_WORST, _CHANCE = 60, 1200
"""Samples of each set that the search for a shaper looks at."""
_BANDS, _FACTORS, _NEARLY = 16, (2.0, 1.5, 1.2, 1.1), 1.25
"""The search moves the density of this many bands of the domain, by a smaller factor each turn; the last turn is for
what nearly holds.
"""
OUTRIGHT = "anywhere_max"
"""The limit for the worst place found anywhere, which a table that holds within pictures may pass."""


SHIPPED = "shipped"
"""The figure of the shipped scenes, which is held to the limit for pictures where there are no own ones."""


class Tried(Frozen):
    """One candidate: what it is, the figure in ΔE for each limit (None: nothing to test), and ``share``, the largest of
    them over its limit.

    1 or less holds. ``share`` leaves out the worst place anywhere, and beside own frames all that is not of them or of
    neutral; ``strays``: one of these is beyond its limit, so that the table holds for the pictures given alone.
    """

    model_config = ConfigDict(extra="ignore", allow_inf_nan=True)
    format: FormatName
    size: int
    shaper: Shaper = "none"
    entries: Entries = "sampled"
    density: tuple[float, ...] = ()
    by_formulas: bool = False
    figures: dict[str, float | None]
    strays: bool
    share: float

    @property
    def holds(self) -> bool:
        return self.share <= 1

    def summary(self) -> str:
        """The kind of table."""
        if self.by_formulas:
            return "Formulas without a cube"
        return (
            f"{self.size}³"
            + {"none": "", "adapted": " after a shaper", "display": " behind formulas"}[self.shaper]
            + (" with fitted entries" if self.entries == "fitted" else "")
        )

    @property
    def wish(self) -> dict[str, Any]:
        """What of an order it stands for."""
        return {
            "format": self.format,
            "dimensions": 3,
            "size": self.size,
            "shaper": self.shaper,
            "density": self.density,
            "entries": self.entries,
        }

    @property
    def simplicity(self) -> tuple[Any, ...]:
        """Sorts what holds everywhere before what strays, then the smaller and plainer first."""
        return (self.strays, not self.by_formulas, self.size, self.shaper != "none", self.entries != "sampled")


class Trial:
    """The samples of a verification, seen through the exact path once, and candidates held against them; a part of them
    for the search.
    """

    def __init__(self, order: BakeOrder, frames: Sequence[FrameSample], limits: Tolerances) -> None:
        self.order, self.limits = order, limits
        self.excused = (OUTRIGHT, "anywhere_median", "anywhere_p99") if frames else (OUTRIGHT,)
        sets = sample_sets(order, frames)
        self.codes = np.concatenate(list(sets.values()))
        self.exact = order.held(exact(order.operations, self.codes))
        self.right = order.judge.seen(self.exact)
        ends = np.cumsum([len(codes) for codes in sets.values()])
        self.all: dict[str, Places] = {
            name: np.arange(end - len(codes), end) for (name, codes), end in zip(sets.items(), ends, strict=True)
        }
        rng = np.random.default_rng(SEED)
        self.chance: dict[str, Places] = {
            name: rng.choice(places, min(_CHANCE, len(places)), replace=False) for name, places in self.all.items()
        }
        self.worst: dict[str, Places] = {name: places[:0] for name, places in self.all.items()}
        self.bend = bend_of(order) if first_with(order.receiver.formats, "shaper") else 0.0

    def formulas(self) -> Tried | None:
        """The section as formulas, where the receiver takes them and there are any."""
        form = first_with(self.order.receiver.formats, "nodes")
        if form is None:
            return None
        one = self.order.model_copy(
            update={
                "format": form,
                "dimensions": 3,
                "size": self.order.receiver.grids[0],
                "shaper": "none",
                "density": (),
                "entries": "sampled",
            }
        )
        nodes = formulas(one)
        return (
            None
            if nodes is None
            else self._tried(one, LutBox(one.receiver, ProcessList(tuple(nodes))), by_formulas=True)
        )

    def plain(
        self, form: FormatName, size: int, entries: Entries = "sampled", receiver: Receiver | None = None
    ) -> Tried:
        """A cube without a shaper, for the order's receiver or another."""
        one = self._order(form, size, entries, receiver)
        return self._tried(one, LutBox(one.receiver, cube_after(one, None, cube(one, None, ""))))

    def shaped(
        self,
        size: int,
        density: Sequence[float],
        whole: bool = True,
        entries: Entries = "sampled",
        receiver: Receiver | None = None,
    ) -> Tried:
        """A cube after a shaper on all samples, or for the search on a part of them."""
        form = first_with((receiver or self.order.receiver).formats, "shaper")
        assert form is not None
        one = self._order(form, size, entries, receiver)
        # Rounded as it will be kept with the order, so that the table baked is the table tried.
        kept = tuple(float(f"{v:.4g}") for v in np.asarray(density) / np.mean(density))
        shaper: Lut1D = shaper_of(kept, self.bend, size)
        return self._tried(one, LutBox(one.receiver, cube_after(one, shaper, cube(one, shaper, ""))), kept, whole)

    def behind_formulas(self, size: int) -> Tried | None:
        """A cube over display light behind formulas, where the path and the receiver have it."""
        form = first_with(self.order.receiver.formats, "shaper")
        if form is None or not self.order.takes_display_cube:
            return None
        one = self._order(form, size, "sampled", None).model_copy(update={"shaper": "display"})
        try:
            nodes = display_cube(one)
        except BadValue:
            return None
        return self._tried(one, LutBox(one.receiver, ProcessList(nodes)))

    def search(self, size: int, known: Sequence[float]) -> Iterator[tuple[float, Tried]]:
        """The best candidate on all samples so far, with how much of the search is done: the likeliest starts, then
        band by band up and down.

        It ends as soon as one holds. A band is moved on a part of the samples; before each turn what was worst on all
        of them joins the part.
        """
        starts = [
            self.shaped(size, start)
            for start in (*((known,) if known else ()), np.ones(PARTS), curvature_density(self.order))
        ]
        best = min(starts, key=lambda t: t.share)
        yield 0.1, best
        band = np.arange(PARTS) * _BANDS // PARTS
        for turn, factor in enumerate(_FACTORS):
            if best.share <= 1 or (factor == _FACTORS[-1] and best.share >= _NEARLY):
                break
            now = self.shaped(size, best.density, whole=False)
            for index in range(_BANDS):
                for change in (factor, 1 / factor):
                    tried = self.shaped(
                        size, np.where(band == index, change, 1.0) * np.asarray(now.density), whole=False
                    )
                    if tried.share < now.share:
                        now = tried
                        break
                yield 0.1 + 0.9 * (turn * _BANDS + index + 1) / (len(_FACTORS) * _BANDS), best
            best = min(best, self.shaped(size, now.density), key=lambda t: t.share)
        yield 1.0, best

    def rounding(self) -> float:
        """The worst share of a limit that rounding at the receiver's output alone takes up."""
        depth = self.order.receiver.output_depth
        return self._shares(self._figures(self.all, rounded(self.exact, depth), None)) if depth else 0.0

    def _order(self, form: FormatName, size: int, entries: Entries, receiver: Receiver | None) -> BakeOrder:
        return self.order.model_copy(
            update={
                "format": form,
                "size": size,
                "dimensions": 3,
                "shaper": "none",
                "density": (),
                "entries": entries,
                "receiver": receiver or self.order.receiver,
            }
        )

    def within_pictures(self, tried: Tried) -> bool:
        """Whether it would hold if pictures alone counted: those of the production, and the scenes that ship."""
        limits = {**{name: limit for name, _, limit in self.limits.rows()}, SHIPPED: self.limits.picture_p99}
        return all(
            round(value or 0.0, 2) <= limits[name]
            for name, value in tried.figures.items()
            if not name.startswith("anywhere")
        )

    def _tried(
        self,
        one: BakeOrder,
        box: LutBox,
        density: tuple[float, ...] = (),
        whole: bool = True,
        by_formulas: bool = False,
    ) -> Tried:
        """As the verification has them. Of a part: the worst of all errors in it,
        and shares of its samples by chance.
        """
        places = (
            self.all if whole else {name: np.concatenate([self.chance[name], self.worst[name]]) for name in self.all}
        )
        at = np.concatenate(list(places.values()))
        figures = self._figures(places, box.apply(self.codes[at]), None if whole else _CHANCE)
        return Tried(
            format=one.format,
            size=one.size,
            shaper=one.shaper if one.shaper == "display" else "adapted" if density else "none",
            entries=one.entries,
            density=density,
            by_formulas=by_formulas,
            figures=figures,
            strays=any(round(figures[name] or 0.0, 2) > getattr(self.limits, name) for name in self.excused)
            or round(figures[SHIPPED] or 0.0, 2) > self.limits.picture_p99,
            share=self._shares(figures),
        )

    def _figures(self, places: dict[str, Places], made: Any, counted: int | None) -> dict[str, float | None]:
        """The figure for each limit.

        On all samples, those of each set that are furthest off join the part that the search looks at.
        """
        at = np.concatenate(list(places.values()))
        apart = self.order.judge.apart(self.right[at], self.order.judge.seen(made))
        errors = dict(
            zip(places, np.split(apart, np.cumsum([len(some) for some in places.values()])[:-1]), strict=True)
        )
        if counted is None:
            for name, found in errors.items():
                self.worst[name] = np.union1d(self.worst[name], self.all[name][np.argsort(found)[::-1][:_WORST]])
        everything = np.concatenate([found[:counted] for found in errors.values()])
        pictures = {name: errors[name] for name in judged_pictures(errors)}
        shipped = [as_of_pictures(name, np.percentile(errors[name], 99)) for name in errors if SHIPPED_SET in name]
        return {
            "neutral_max": float(errors["neutral axis"].max()),
            "picture_p99": max(
                (as_of_pictures(name, float(np.percentile(found[:counted], 99))) for name, found in pictures.items()),
                default=None,
            ),
            "picture_max": max((float(found.max()) for found in pictures.values()), default=None),
            "anywhere_median": float(np.median(everything)),
            "anywhere_p99": float(np.percentile(everything, 99)),
            SHIPPED: float(max(shipped, default=0.0)),
            OUTRIGHT: float(apart.max()),
        }

    def _shares(self, figures: dict[str, float | None]) -> float:
        # As printed, so that what holds here is what the verification finds to hold.
        limits = self.limits.model_dump()
        return max(
            float(round(value, 2) / limits[name])
            for name, value in figures.items()
            if value is not None and name in limits and name not in self.excused
        )
