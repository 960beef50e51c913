"""Why a table does not hold, in words: known mistakes tried one after the other, then where an honest table loses its
accuracy.
"""

from __future__ import annotations

import numpy as np

from upwelling.core.bake.make import cube
from upwelling.core.bake.order import BakeOrder
from upwelling.core.bake.shaper import shaper_for
from upwelling.core.operations.exact import exact
from upwelling.core.proof.hunt import Found, Grid
from upwelling.core.proof.lut_box import LutBox, rounded
from upwelling.core.proof.mistakes import mistake
from upwelling.core.proof.mistakes.base import Case
from upwelling.core.tables.formats import FORMATS, first_with

_TRIED = 900
"""Places at which mistakes are tried."""


def mistake_in_grid(order: BakeOrder, grid: Grid) -> str:
    """What was done wrong in making a table whose grid points are not the path's.

    Empty when nothing known explains it.
    """
    places = np.random.default_rng(7).choice(len(grid.codes), min(_TRIED, len(grid.codes)), replace=False)
    codes, entries = grid.codes[places], grid.entries[places]
    if len(grid.shape) < 3:
        return mistake(Case(order, codes, entries))
    n = grid.shape[0]
    index = np.stack(np.unravel_index(places, grid.shape), axis=-1)
    made = cube(order, shaper_for(order), "").table.reshape(-1, 3)[places] if order.entries == "fitted" else None
    right = order.held(exact(order.operations, codes)) if made is not None else 0.0
    axis, whole = grid.codes.reshape(n, n, n, 3)[:, 0, 0, 0], grid.entries.reshape(n, n, n, 3)
    return mistake(Case(order, codes, entries, index, axis, whole, 0.0 if made is None else made - right))


def mistake_in_formulas(order: BakeOrder, box: LutBox) -> str:
    """The same of a file of formulas, tried at codes spread over its domain."""
    rng = np.random.default_rng(7)
    codes = np.concatenate(
        [rng.random((_TRIED * 2 // 3, 3)), np.repeat(np.linspace(0, 1, _TRIED // 3)[:, None], 3, axis=1)]
    )
    return mistake(Case(order, codes, order.held(box.interpolated(codes))))


def loss(order: BakeOrder, box: LutBox, worst: Found, gridded: bool) -> tuple[str, str]:
    """(cause, what to change) of an honest table that strays somewhere: which of its limits costs most at the worst
    places.
    """
    judge, r = order.judge, order.receiver
    seen = judge.seen(worst.exact)
    ideal = LutBox(r.model_copy(update={"precision": 0, "output_depth": 0, "input_depth": 0}), box.as_read)
    parts = {
        "grid": judge.apart(seen, judge.seen(order.held(ideal.interpolated(worst.codes)))),
        "entries": judge.apart(
            judge.seen(order.held(ideal.interpolated(worst.codes))),
            judge.seen(order.held(box.interpolated(worst.codes))),
        ),
        "output": judge.apart(seen, judge.seen(rounded(worst.exact, r.output_depth))),
    }
    most = max(parts, key=lambda name: float(np.max(parts[name])))
    size = float(np.max(parts[most]))
    if most == "output":
        return (
            f"Rounding to {r.output_depth} bit at the receiver's output alone costs up to ΔE {size:.2f}.",
            "No table can do better there; only more bits at the output can.",
        )
    if most == "entries":
        return (
            f"Entries of {r.precision} bit cost up to ΔE {size:.2f}.",
            "Use a receiver or a format with finer entries.",
        )
    if not gridded:
        return (
            "Its formulas are not those of the path: a constant differs, or has too few digits.",
            "Write it from the path again, with all digits.",
        )
    if order.dimensions == 1:
        return (f"A 1D table leaves out what mixes the channels, which costs up to ΔE {size:.2f} here.", "Bake a cube.")
    ways = []
    larger = [n for n in r.sizes(order.format) if n > order.size]
    if larger:
        ways.append(f"a larger grid ({larger[0]})")
    if order.can_fit:
        ways.append("entries fitted to the interpolation")
    shaping = first_with(r.formats, "shaper")
    if order.shaper != "display" and shaping and order.section.to_display and order.takes_display_cube:
        ways.append(f"formulas before the cube ({FORMATS[shaping].title})")
    if order.shaper == "none" and shaping:
        ways.append(f"a shaper before the cube ({FORMATS[shaping].title})")
    if r.interpolation == "trilinear":
        ways.append("tetrahedral interpolation, if the receiver has it")
    if not order.section.from_camera or r.input_range == "legal":
        ways.append(
            "another input coding: full range spends no grid points below black"
            if r.input_range == "legal"
            else "another carrier encoding, nearer to what the pictures use"
        )
    return (
        f"Between grid points the table strays: the path bends more than a {order.size}³ grid can follow.",
        ("Try " + ", or ".join(ways) + ".") if ways else "This receiver takes nothing finer.",
    )
