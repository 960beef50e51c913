"""The smallest table that holds: every grid a receiver takes in every format it takes, and where one has a shaper, the
best before it.

Where nothing holds, the least change that would: of the receiver, or of a limit.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from pydantic import ConfigDict

from upwelling.core.bake.make import Progress, no_report
from upwelling.core.bake.order import BakeOrder
from upwelling.core.bake.receivers import FITTED_UP_TO, Receiver
from upwelling.core.frozen import Frozen
from upwelling.core.proof.samples import FrameSample
from upwelling.core.proof.tolerances import Tolerances, tolerances_for
from upwelling.core.proof.trial import OUTRIGHT, Trial, Tried
from upwelling.core.tables.formats import FORMATS, FormatName, first_with

_LARGER, _LARGEST = 65, 129
_WITHIN_REACH = 2.5
"""Times the tolerance up to which fitting the entries may still make a table hold."""
_ROUNDED_AWAY = 1.0
"""Share of a limit that rounding may take up before no table can hold."""


class Solution(Frozen):
    """All candidates as they were tried, and the simplest that holds, everywhere if one does (None: none does;
    ``nearest`` is the best there is).

    ``asked`` is the format of the order; ``way_out`` says what would hold where nothing does.
    """

    model_config = ConfigDict(extra="ignore", allow_inf_nan=True)
    tried: tuple[Tried, ...]
    chosen: Tried | None
    nearest: Tried
    asked: FormatName
    way_out: str = ""

    @classmethod
    def of(cls, tried: Sequence[Tried], asked: FormatName, way_out: str = "") -> Solution:
        chosen = min((t for t in tried if t.holds), key=lambda t: t.simplicity, default=None)
        return cls(
            tried=tuple(tried), chosen=chosen, nearest=min(tried, key=lambda t: t.share), asked=asked, way_out=way_out
        )

    @property
    def best(self) -> Tried:
        return self.chosen or self.nearest

    @property
    def in_turn(self) -> list[Tried]:
        """All that hold, the simplest first; the nearest where none does."""
        return sorted((t for t in self.tried if t.holds), key=lambda t: t.simplicity) or [self.nearest]

    def summary(self) -> str:
        """The result in a sentence or two."""
        best = self.best
        if self.chosen is None:
            return (
                f"None of this receiver’s tables holds; {best.summary()} comes nearest, {best.share:.1f} × the "
                f"tolerance. {self.way_out}"
            ).strip()
        other = f" if you choose {FORMATS[best.format].title}" if best.format != self.asked else ""
        if best.strays:
            return (
                f"{best.summary()} is the smallest that holds within pictures{other}; somewhere in the cube it strays "
                f"by ΔE {best.figures[OUTRIGHT]:.1f} or more."
            )
        if best.by_formulas:
            return f"{best.summary()} hold{other}."
        return f"{best.summary()} is the smallest that holds{other}."


def solve(
    order: BakeOrder,
    *,
    frames: Sequence[FrameSample] = (),
    tolerances: Tolerances | None = None,
    progress: Progress = no_report,
) -> Solution:
    """Tries every table of the order's receiver. The full verification still has the last word on the one chosen."""
    tried: list[Tried] = []
    way_out = ""
    for done, message, found in tries(order, frames=frames, tolerances=tolerances):
        progress(done, message)
        if isinstance(found, Tried):
            tried.append(found)
        elif found:
            way_out = found
    return Solution.of(tried, order.format, way_out)


def tries(
    order: BakeOrder, *, frames: Sequence[FrameSample] = (), tolerances: Tolerances | None = None
) -> Iterator[tuple[float, str, Tried | str | None]]:
    """One candidate after the other: how far it is (0…1), what is under way, and the candidate when it is done, or at
    the end the way out as text.

    Formulas first, then every grid; entries are fitted, in grids that can be, where a grid does not hold without. Where
    nothing holds, cubes over display light behind formulas are tried; a shaper is searched for at the largest grid
    only where nothing holds, and then tried at the others. Raises BadValue as ``bake`` does.
    """
    order.check_carried()
    trial = Trial(order, frames, tolerances or tolerances_for(order.judge.target.is_hdr))
    grids = _grids(order)
    shaping = first_with(order.receiver.formats, "shaper")
    parts = len(grids) + (shaping is not None)
    yield (
        0.0,
        "Trying formulas" if first_with(order.receiver.formats, "nodes") else f"Trying a {grids[0][0]}³ grid",
        None,
    )
    tried: list[Tried] = []
    written = trial.formulas()
    if written is not None:
        tried.append(written)
        yield 0.05, "Tried formulas", written
        if written.holds and not written.strays:
            return
    for index, (size, form) in enumerate(grids):
        if size > _LARGER and any(t.holds for t in tried):
            break  # as slow as all before it together
        plain = trial.plain(form, size)
        tried.append(plain)
        fit = not plain.holds and size <= FITTED_UP_TO
        yield (index + 0.4) / parts, f"Fitting the entries of a {size}³ grid" if fit else f"Tried a {size}³ grid", plain
        if fit:
            fitted = trial.plain(form, size, "fitted")
            tried.append(fitted)
            yield (index + 1) / parts, f"Fitted the entries of a {size}³ grid", fitted
    if any(t.holds for t in tried):
        return
    if shaping:
        behind = list(_behind_formulas(trial, order.receiver.sizes(shaping)))
        tried += behind
        for one in behind:
            yield len(grids) / parts, f"Tried a {one.size}³ grid behind formulas", one
        if any(t.holds for t in tried):
            return
        for done, message, found in _shapers(trial, order.receiver.sizes(shaping)):
            if found is not None:
                tried.append(found)
            yield (len(grids) + done) / parts, message, found
        if any(t.holds for t in tried):
            return
    yield 0.99, "Looking for what would hold", None
    yield 1.0, "Tried all", way_out(trial, min(tried, key=lambda t: t.share), tried)


def _grids(order: BakeOrder) -> list[tuple[int, FormatName]]:
    """Every grid the receiver takes, smallest first, each in the order's own format if that has it."""
    forms: list[FormatName] = [order.format, *(f for f in order.receiver.formats if f != order.format)]
    sizes = sorted({n for form in forms for n in order.receiver.sizes(form)})
    return [(n, next(form for form in forms if n in order.receiver.sizes(form))) for n in sizes]


def _behind_formulas(trial: Trial, sizes: Sequence[int]) -> Iterator[Tried]:
    """Cubes behind formulas, the largest first, down to the first that holds nowhere."""
    for size in reversed(sizes):
        found = trial.behind_formulas(size)
        if found is None:
            return
        yield found
        if not (found.holds or trial.within_pictures(found)):
            return


def _shapers(trial: Trial, sizes: Sequence[int]) -> Iterator[tuple[float, str, Tried | None]]:
    """The best shaper before the largest grid, and the same before the smaller ones."""
    largest = sizes[-1]
    found: Tried | None = None
    for share, best in trial.search(largest, ()):
        found = best
        yield 0.8 * share, f"Looking for the best shaper before a {largest}³ grid", None
    assert found is not None
    yield 0.8, f"Tried a {largest}³ grid after a shaper", found
    for size in reversed(sizes[:-1]):
        other = trial.shaped(size, found.density)
        yield 0.9, f"Tried a {size}³ grid after a shaper", other
        if not other.holds and size <= FITTED_UP_TO:
            yield (
                0.95,
                f"Fitted the entries of a {size}³ grid after a shaper",
                trial.shaped(size, found.density, entries="fitted"),
            )


def way_out(trial: Trial, nearest: Tried, tried: Sequence[Tried] = ()) -> str:
    """The least change that would make a table hold, as a sentence: pictures to judge it by, where there are none;
    another property of the receiver; else limits with their present figures.
    """
    within = min((t for t in tried if trial.within_pictures(t)), key=lambda t: t.simplicity, default=None)
    if within is not None:
        return (
            f"{within.summary()} holds in the scenes that ship, and errs where hardly a picture lies: give pictures of "
            "the production, and they decide."
        )
    r, limits = trial.order.receiver, trial.limits
    if trial.rounding() > _ROUNDED_AWAY:
        return (
            f"Rounding to {r.output_depth} bit at its output alone is {trial.rounding():.1f} × a tolerance, so no "
            f"table can hold: it needs more bits at its output, or {_wider(nearest, limits)}."
        )
    for words, changed in _ideas(r):
        size = changed.grids[-1]
        form: FormatName = next(f for f in (nearest.format, *FORMATS) if size in changed.sizes(f))
        kinds = [trial.plain(form, size, receiver=changed)]
        if size <= FITTED_UP_TO and 1 < kinds[0].share < _WITHIN_REACH:
            kinds.append(trial.plain(form, size, "fitted", receiver=changed))
        holding = next((t for t in kinds if t.holds), None)
        if holding is not None:
            return f"With {words}, {holding.summary()} would hold; or with {_wider(nearest, limits)}."
    if r.grids[-1] < _LARGEST and (found := trial.behind_formulas(_LARGEST)) is not None and found.holds:
        return (
            f"With a grid of {_LARGEST} points, {found.summary()} would hold: put {_LARGEST} among the receiver’s "
            f"grids if it takes that; or with {_wider(nearest, limits)}."
        )
    return f"It would hold with {_wider(nearest, limits)}."


def _ideas(r: Receiver) -> Iterator[tuple[str, Receiver]]:
    """Other receivers like this one, the least change first."""
    finer: dict[str, object] = {"precision": 0}
    tetrahedral: dict[str, object] = {"interpolation": "tetrahedral"}
    larger: dict[str, object] = {"grids": tuple(sorted({*r.grids, _LARGER}))}
    options: list[tuple[str, dict[str, object]]] = []
    if r.interpolation == "trilinear":
        options.append(("tetrahedral interpolation", tetrahedral))
    if r.grids[-1] < _LARGER:
        options.append((f"a grid of {_LARGER} points", larger))
    if r.precision:
        options.append(("floating-point entries", finer))
    if r.interpolation == "trilinear" and r.grids[-1] < _LARGER:
        options.append((f"a grid of {_LARGER} points and tetrahedral interpolation", {**larger, **tetrahedral}))
    for words, change in options:
        yield words, r.model_copy(update=change)


def _wider(nearest: Tried, limits: Tolerances) -> str:
    """The limits that the nearest table passes, with what they would have to be."""
    over = [
        f"“{title}” at {nearest.figures[name]:.2f} instead of {limit:g}"
        for name, title, limit in limits.rows()
        if name != OUTRIGHT and nearest.figures[name] is not None and round(nearest.figures[name] or 0.0, 2) > limit
    ]
    return f"the tolerance {' and '.join(over)}"
