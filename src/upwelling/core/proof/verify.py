"""Verification: a file read back from disk, through the simulated receiver, against the exact path."""

from __future__ import annotations

import datetime
import hashlib
import os
from collections.abc import Sequence
from pathlib import Path as FilePath
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.bake.make import Progress, no_report
from upwelling.core.bake.order import BakeOrder
from upwelling.core.operations.exact import exact
from upwelling.core.proof.causes import loss, mistake_in_formulas, mistake_in_grid
from upwelling.core.proof.certificate import (
    FAILS,
    HOLDS,
    UNTRIED,
    WITHIN,
    Certificate,
    Finding,
    GridFigures,
    NeutralFigures,
    Outside,
    RampFigures,
    SetFigures,
    TestedFrame,
    Verdict,
    Worst,
)
from upwelling.core.proof.hunt import Found, Grid, grid_of, grid_of_display_cube, hunt, wrong_points
from upwelling.core.proof.lut_box import LutBox, rounded
from upwelling.core.proof.samples import SHIPPED_SET, FrameSample, as_of_pictures, is_picture, sample_sets
from upwelling.core.proof.tolerances import Tolerances, formula_tolerances, tolerances_for

GRID_LIMIT = 0.05
"""ΔE at a grid point beyond which, with many of them, the table was made from something else or has too few digits."""
FEW = 0.02
EVERYWHERE = ("The median of all samples", "99 % of all samples", "The worst place found")
FALL_LIMIT = 0.05
"""ΔE between neighbouring greys of which one channel falls: less is not a fold but rounding on the flat top of the
curve.
"""
DECIMALS = 2
"""With which figures of ΔE are printed."""
FALL = 2e-6
"""A fall counts when it is more than the rounding of a seven-decimal table; integer outputs may fall by no code at all.
"""


def verify(
    lut_path: str | os.PathLike[str],
    order: BakeOrder,
    *,
    frames: Sequence[FrameSample] = (),
    tolerances: Tolerances | None = None,
    progress: Progress = no_report,
) -> Certificate:
    """Tests the file against the order's exact function; raises BadLut when the receiver would not take it.

    Both sides get the same codes, at the receiver's depth, and ΔE is between the two lights on the output's display. A
    file of formulas has no grid to excuse it: its limits are those of ``formula_tolerances`` with what rounding at the
    output costs, where they are tighter.
    """
    place, limits = FilePath(lut_path), tolerances or tolerances_for(order.judge.target.is_hdr)
    box = LutBox.load(order.receiver, place)
    sets = sample_sets(order, frames)
    grid = grid_of(box)
    coarse: dict[str, Float64] = {}
    errors: dict[str, Float64] = {}
    found: list[Worst] = []
    worst_of: dict[str, Found] = {}
    clipped = 0.0
    neutral: NeutralFigures | None = None
    for index, (name, codes) in enumerate(sets.items()):
        progress(0.7 * index / len(sets), f"Testing {name}, {len(codes):,} samples".replace(",", " "))
        raw = exact(order.operations, codes)
        right, baked = order.held(raw), box.apply(codes)
        seen_right, seen_baked = order.judge.seen(right), order.judge.seen(baked)
        apart = order.judge.apart(seen_right, seen_baked)
        errors[name] = apart
        if grid is None and order.shaper != "display":
            coarse[name] = order.judge.apart(seen_right, order.judge.seen(rounded(right, order.receiver.output_depth)))
        worst_of[name] = Found(codes, right, baked, apart).best(32)
        found += _places(worst_of[name].best(3), name)
        if name == "stratified":
            ends = exact(order.judge.after, raw) if order.section.to_display else raw
            clipped = float(np.mean(((ends <= 1e-9) | (ends >= 1 - 1e-9)).any(axis=-1)))
        if name == "neutral axis":
            neutral = _neutral(
                order, codes, baked, right, apart, float(order.judge.drift(seen_right, seen_baked).max())
            )
    assert neutral is not None
    gathered = worst_of["stratified"]
    for name in list(sets)[1:]:
        gathered = gathered.with_(worst_of[name])
    progress(0.72, "Looking for the worst place")
    by_formulas = grid is None and order.shaper != "display"
    if by_formulas:
        limits = limits.within(formula_tolerances(order.judge.target.is_hdr).with_rounding(_worst_rounding(coarse)))
    checked = grid_of_display_cube(order, box) if order.shaper == "display" else grid
    wrong, at, at_grid = wrong_points(order, checked) if checked is not None else (0, (), 0.0)
    hunted, looked = hunt(order, box, grid, gathered)
    found += _places(hunted.best(3), "hunted")
    progress(0.95, "Ramp, edges and outside")
    everything = _figures("all samples", np.concatenate(list(errors.values())))
    figures = {name: _figures(name, values) for name, values in errors.items()}
    gridded = (
        None
        if checked is None
        else GridFigures(
            points=len(checked.codes), wrong=wrong, worst_delta_e=at_grid, worst_index=tuple(int(v) for v in at)
        )
    )
    findings = _findings(
        order, box, grid, gridded, everything, figures, neutral, {**worst_of, "all": gathered, "hunted": hunted}, limits
    )
    progress(1.0, "Tested")
    return Certificate(
        made=datetime.datetime.now(datetime.UTC).isoformat(timespec="seconds"),
        lut_file=place.name,
        lut_sha256=hashlib.sha256(place.read_bytes()).hexdigest(),
        order=order.model_dump(mode="json"),
        fingerprint=order.fingerprint,
        path_fingerprint=order.path.fingerprint,
        metric=order.judge.metric,
        sets=(everything, *figures.values()),
        neutral=neutral,
        grid=gridded,
        hunted=_places(hunted.best(1), "hunted")[0],
        hunt_samples=looked,
        worst=tuple(sorted(found, key=lambda w: -w.delta_e)[:8]),
        ramp=_ramp(order, box),
        outside=_outside(order, box),
        output_rounding=_rounding(order),
        clipped_domain=clipped,
        frames=tuple(TestedFrame(name=f.name, count=len(f.codes), outside=f.outside) for f in frames),
        tolerances=limits,
        verdict=_verdict(findings, bool(frames)),
        findings=tuple(findings),
    )


def _worst_rounding(coarse: dict[str, Float64]) -> dict[str, float]:
    """What rounding the exact output costs, as each limit counts it."""
    everything = np.concatenate(list(coarse.values()))
    pictures = [found for name, found in coarse.items() if is_picture(name)]
    return {
        "neutral_max": float(coarse["neutral axis"].max()),
        "picture_p99": max((float(np.percentile(found, 99)) for found in pictures), default=0.0),
        "picture_max": max((float(found.max()) for found in pictures), default=0.0),
        "anywhere_median": float(np.median(everything)),
        "anywhere_p99": float(np.percentile(everything, 99)),
        "anywhere_max": float(everything.max()),
    }


def _triple(values: Any) -> tuple[float, float, float]:
    return (float(values[0]), float(values[1]), float(values[2]))


def _places(found: Found, name: str) -> list[Worst]:
    return [
        Worst(set_name=name, code=_triple(c), exact=_triple(e), baked=_triple(b), delta_e=float(d))
        for c, e, b, d in zip(found.codes, found.exact, found.baked, found.delta_e, strict=True)
    ]


def _figures(name: str, errors: Float64) -> SetFigures:
    median, p95, p99 = np.percentile(errors, [50, 95, 99])
    return SetFigures(
        name=name, count=len(errors), median=float(median), p95=float(p95), p99=float(p99), maximum=float(errors.max())
    )


def _neutral(order: BakeOrder, codes: Any, baked: Any, right: Any, errors: Any, drift: float) -> NeutralFigures:
    steps = np.diff(baked, axis=0)
    falls = (steps < -FALL) & (np.diff(right, axis=0) >= -FALL)
    every = slice(None, None, max(1, len(codes) // 256))
    counts = falls.sum(axis=0)
    deepest = int(np.where(falls, -steps, 0.0).max(axis=-1).argmax())
    around = order.judge.seen(baked[deepest : deepest + 2])
    return NeutralFigures(
        codes=tuple(round(float(v), 5) for v in codes[every, 0]),
        delta_e=tuple(round(float(v), 5) for v in errors[every]),
        drift=drift,
        falls=(int(counts[0]), int(counts[1]), int(counts[2])),
        deepest_fall=float(-min(steps[falls].min(initial=0.0), 0.0)),
        fall_delta_e=float(order.judge.apart(around[:1], around[1:])[0]) if falls.any() else 0.0,
    )


def _ramp(order: BakeOrder, box: LutBox) -> RampFigures:
    """Every neutral code of the receiver's input depth, 1025 where it has none."""
    r = order.receiver
    count = 2**r.input_depth if 0 < r.input_depth <= 12 else 1025
    ramp = np.repeat(np.linspace(0.0, 1.0, count)[:, None], 3, axis=1)
    top = 2 ** (r.output_depth or 10) - 1
    right = order.held(exact(order.operations, ramp))
    smooth = box.interpolated(ramp)
    steps_right, steps_baked = (
        np.abs(np.diff(rounded(right, r.output_depth), axis=0)) * top,
        np.abs(np.diff(rounded(smooth, r.output_depth), axis=0)) * top,
    )
    bends = np.abs(np.diff(smooth, n=2, axis=0)) - np.abs(np.diff(right, n=2, axis=0))
    return RampFigures(
        steps=count - 1,
        widest_exact=float(steps_right.max()),
        widest_baked=float(steps_baked.max()),
        extra=int((steps_baked >= steps_right + 1.999).any(axis=-1).sum()),
        roughness=float(max(bends.max(), 0.0) * 1023),
    )


def _outside(order: BakeOrder, box: LutBox) -> tuple[Outside, ...]:
    """A little beyond either end; nothing for integer inputs, which have no codes there."""
    if order.receiver.input_depth:
        return ()
    rows = []
    for low, high, where in ((-0.1, -0.01, "below 0, to −0.10"), (1.01, 1.1, "above 1, to 1.10")):
        ramp = np.linspace(low, high, 40)
        codes = np.concatenate(
            [
                np.repeat(ramp[:, None], 3, axis=1),
                *(np.insert(np.full((40, 2), 0.4), c, ramp, axis=1) for c in range(3)),
            ]
        )
        right = order.held(exact(order.operations, codes))
        apart = order.judge.apart(
            order.judge.seen(np.nan_to_num(right)), order.judge.seen(order.held(np.nan_to_num(box.interpolated(codes))))
        )
        rows.append(Outside(where=where, delta_e=float(apart.max())))
    return tuple(rows)


def _rounding(order: BakeOrder) -> float:
    """The worst ΔE that rounding the exact output alone makes along neutral, at the receiver's output depth."""
    ramp = np.repeat(np.linspace(0.0, 1.0, 1025)[:, None], 3, axis=1)
    right = order.held(exact(order.operations, order.snapped(ramp)))
    return float(
        order.judge.apart(order.judge.seen(right), order.judge.seen(rounded(right, order.receiver.output_depth))).max()
    )


def _findings(
    order: BakeOrder,
    box: LutBox,
    grid: Grid | None,
    gridded: GridFigures | None,
    everything: SetFigures,
    figures: dict[str, SetFigures],
    neutral: NeutralFigures,
    worst_of: dict[str, Found],
    limits: Tolerances,
) -> list[Finding]:
    findings: list[Finding] = []
    cause = change = ""
    if gridded is not None and gridded.wrong:
        if gridded.wrong <= FEW * gridded.points:
            place = ", ".join(map(str, gridded.worst_index))
            counted = f"{gridded.wrong} of {gridded.points:,} grid points".replace(",", " ")
            cause = f"{counted} are not what the path says, the worst at index {place} (red, green, blue)."
            change = "The file was damaged or edited after baking: bake it again."
        else:
            cause = mistake_in_formulas(order, box) if grid is None else mistake_in_grid(order, grid)
            if not cause:
                cause = (
                    f"{100 * gridded.wrong / gridded.points:.0f} % of the grid points are not what the path says: the "
                    "table was made from another path, or has too few digits."
                )
                change = "Check the encoding, output and recipe, or bake it again."
        if passes(gridded.worst_delta_e, GRID_LIMIT):
            findings.append(
                Finding(
                    what="At the table's own grid points",
                    value=gridded.worst_delta_e,
                    limit=GRID_LIMIT,
                    cause=cause,
                    change=change,
                )
            )
    if passes(neutral.fall_delta_e, FALL_LIMIT) and neutral.deepest_fall > 1.5 / (
        2 ** (order.receiver.output_depth or 20) - 1
    ):
        folded = (cause or "The table folds tones over.", change or "Bake it again from the path.")
        if not cause and order.receiver.interpolation == "trilinear":
            folded = (
                "Trilinear interpolation mixes the colours beside neutral into greys, so that they ripple from grid "
                "point to grid point.",
                ("Fit the entries to the interpolation, use" if order.can_fit else "Use")
                + " tetrahedral interpolation, if the receiver has it, or a larger grid.",
            )
        findings.append(
            Finding(
                what="A channel falls while grey rises",
                value=neutral.fall_delta_e,
                limit=FALL_LIMIT,
                cause=folded[0],
                change=folded[1],
            )
        )
    tests = [
        (figures["neutral axis"].maximum, limits.neutral_max, "The worst error on the neutral axis", "neutral axis")
    ]
    for name, figure in figures.items():
        if is_picture(name):
            tests += [
                (as_of_pictures(name, figure.p99), limits.picture_p99, f"99 % of {name}", name),
                (figure.maximum, limits.picture_max, f"The worst of {name}", name),
            ]
    tests += [
        (everything.median, limits.anywhere_median, EVERYWHERE[0], "all"),
        (everything.p99, limits.anywhere_p99, EVERYWHERE[1], "all"),
        (float(worst_of["hunted"].delta_e.max()), limits.anywhere_max, EVERYWHERE[2], "hunted"),
    ]
    if gridded is None and any(passes(value, limit) for value, limit, *_ in tests):
        cause = mistake_in_formulas(order, box)
    for value, limit, what, where in tests:
        if passes(value, limit):
            why = (cause, change) if cause else loss(order, box, worst_of[where], gridded is not None)
            findings.append(Finding(what=what, value=value, limit=limit, cause=why[0], change=why[1]))
    return findings


def passes(value: float, limit: float) -> bool:
    """Whether a figure, as it is printed, is above its limit."""
    return round(value, DECIMALS) > limit


def _verdict(findings: Sequence[Finding], with_frames: bool) -> Verdict:
    if not findings:
        return HOLDS if with_frames else UNTRIED
    elsewhere = all(f.what in EVERYWHERE or SHIPPED_SET in f.what for f in findings)
    return WITHIN if elsewhere and with_frames else FAILS
