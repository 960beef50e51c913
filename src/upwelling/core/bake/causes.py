"""Why a table does not hold, in words: known mistakes tried one after the other, then where an honest table loses its accuracy."""

from __future__ import annotations

from itertools import permutations
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.bake.exact import exact
from upwelling.core.bake.hunt import Found, Grid
from upwelling.core.bake.lut_box import LutBox, rounded
from upwelling.core.bake.order import BakeOrder
from upwelling.core.encodings import ENCODINGS
from upwelling.core.errors import UpwellingError
from upwelling.core.outputs import OUTPUTS

_CHANNELS = ("red", "green", "blue")
_TRIED = 900
"""Grid points at which mistakes are tried."""
SOLVES, NEAR = 0.2, 0.012
"""A mistake is named when undoing it leaves less than this share of the error, and less than this much code."""


def mistake(order: BakeOrder, grid: Grid) -> str:
    """What was done wrong in making a table whose grid points are not the path's, or an empty string when nothing known explains it."""
    some = np.random.default_rng(7).choice(len(grid.codes), min(_TRIED, len(grid.codes)), replace=False)
    codes, entries = grid.codes[some], grid.entries[some]
    if np.abs(entries).max() > 64:
        return (f"Its entries run to {np.abs(entries).max():.0f}: it holds whole-number codes where numbers from 0 to 1 are expected. "
                "Divide them by the largest code of their depth.")
    right = order.held(exact(order.operations, codes))
    error = _apart(right, entries)
    tried: list[tuple[float, str]] = []

    def try_(values: Any, words: str) -> None:
        tried.append((_apart(order.held(values), entries), words))

    for turn in list(permutations(range(3)))[1:]:
        swapped = _said(turn)
        try_(exact(order.operations, codes[:, turn]), f"The table's axes are swapped ({swapped}): the order of its rows is wrong. Write red as the fastest axis in .cube.")
        try_(right[:, turn], f"The output channels are swapped ({swapped}). Write the columns as red, green, blue.")
    r = order.receiver
    other = {"full": "legal", "legal": "full"}
    for side, words in ((("input_range",), "input"), (("output_range",), "output"), (("input_range", "output_range"), "input and output")):
        flipped = order.model_copy(update={"receiver": r.model_copy(update={name: other[getattr(r, name)] for name in side})})
        was, given = getattr(r, side[0]), other[getattr(r, side[0])]
        try_(exact(flipped.operations, codes), f"Its {words} codes are {given} range where {was} is asked for. Bake it for {was} range, or set the receiver to {given}.")
    inside = (right > 0.05) & (right < 0.95) & (entries > 0.02) & (entries < 0.98)
    if inside.sum() > 50:
        power = float(np.median(np.log(entries[inside]) / np.log(right[inside])))
        try_(np.clip(right, 0, None) ** power, f"Its output is the right one to the power of {power:.3f}: a gamma mistake, as between 2.4 and {2.4 * power:.2f}. "
             "Check the output's EOTF it was made for.")
    if order.section.from_camera and order.path.input.custom is None:
        for name in ENCODINGS:
            _try_path(order, codes, try_, {"input": {"encoding": name}}, f"It expects {name} code, not {order.path.input.encoding}. Check the input encoding.")
    if order.section.to_display and order.path.display.custom is None:
        for name in OUTPUTS:
            _try_path(order, codes, try_, {"display": {"output": name}}, f"It gives code for {name}, not {order.path.display.output}. Check the output.")
    best = min(tried)
    return best[1] if best[0] < min(SOLVES * error, NEAR) else ""


def _try_path(order: BakeOrder, codes: Float64, try_: Any, change: dict[str, dict[str, str]], words: str) -> None:
    path = order.path
    (stage, fields), = change.items()
    if getattr(path, stage) == getattr(path, stage).model_copy(update=fields):
        return
    try:
        other = order.model_copy(update={"path": path.model_copy(update={stage: getattr(path, stage).model_copy(update=fields)})})
        try_(exact(other.operations, codes), words)
    except UpwellingError:
        return


def _apart(one: Any, two: Any) -> float:
    return float(np.mean(np.abs(np.nan_to_num(one) - two)))


def _said(turn: tuple[int, ...]) -> str:
    moved = [k for k in range(3) if turn[k] != k]
    return " and ".join(_CHANNELS[k] for k in moved) if len(moved) == 2 else "all three"


def loss(order: BakeOrder, box: LutBox, worst: Found) -> tuple[str, str]:
    """(cause, what to change) of an honest table that is too coarse somewhere: which of its limits costs most at the worst places."""
    judge, r = order.judge, order.receiver
    seen = judge.seen(worst.exact)
    ideal = LutBox(r.model_copy(update={"precision": 0, "output_depth": 0, "input_depth": 0}), box.as_read)
    parts = {
        "grid": judge.apart(seen, judge.seen(order.held(ideal.interpolated(worst.codes)))),
        "entries": judge.apart(judge.seen(order.held(ideal.interpolated(worst.codes))), judge.seen(order.held(box.interpolated(worst.codes)))),
        "output": judge.apart(seen, judge.seen(rounded(worst.exact, r.output_depth))),
    }
    most = max(parts, key=lambda name: float(np.max(parts[name])))
    size = float(np.max(parts[most]))
    if most == "output":
        return (f"Rounding to {r.output_depth} bit at the receiver's output alone costs up to ΔE {size:.2f}.", "No table can do better there; only more bits at the output can.")
    if most == "entries":
        return (f"Entries of {r.precision} bit cost up to ΔE {size:.2f}.", "Use a receiver or a format with finer entries.")
    ways = []
    larger = [n for n in r.sizes(order.format) if n > order.size]
    if order.dimensions == 1:
        return (f"A 1D table leaves out what mixes the channels, which costs up to ΔE {size:.2f} here.", "Bake a cube.")
    if larger:
        ways.append(f"a larger grid ({larger[0]})")
    if order.can_fit:
        ways.append("entries fitted to the interpolation")
    if order.shaper == "none" and "clf" in r.formats:
        ways.append("a shaper before the cube (Common LUT Format)")
    if r.interpolation == "trilinear":
        ways.append("tetrahedral interpolation, if the receiver has it")
    if not order.section.from_camera or r.input_range == "legal":
        ways.append("another input coding: full range spends no grid points below black" if r.input_range == "legal" else "another carrier encoding, nearer to what the pictures use")
    return (f"Between grid points the table strays: the path bends more than a {order.size}³ grid can follow.",
            ("Try " + ", or ".join(ways) + ".") if ways else "This receiver takes nothing finer.")
