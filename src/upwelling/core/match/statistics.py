"""Beside an unrelated reference: its distribution of brightness, balance and saturation by tone, held back on purpose.

Nothing corresponds, so nothing is certain. Tone out is the integral of slopes between 0.5 and 2 that brings quantiles
of log luminance to the reference's (so it never tears); balance moves at most half a stop, saturation between 0.6 and
1.6; a band that hardly any pixel is in follows the others. Bands, bounds and shares are our own.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.optimize import lsq_linear

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.match.exposure import lost
from upwelling.core.match.light import CannotMatch, Match, MatchFigures, Picture, Space
from upwelling.core.operations import run_reference
from upwelling.core.steps import AnyStep, ColourCurves, Exposure, Ladder, ToneCurve
from upwelling.core.steps.ladder import X, Y

KNOTS = np.array([-7.0, -5.0, -3.0, -1.5, 0.0, 1.0, 2.0, 3.5, 5.0])
SLOPES, SHARE, SMOOTH = (0.5, 2.0), 0.8, 0.6
"""Bounds of the tone curve's slopes; the share of what is found that is done; how strongly slopes are drawn to 1."""
BRIGHT_SHARE, BRIGHT = 0.5, 2.0
"""Highlights, from so many stops, follow less: a sky of the reference is not this picture's lamp."""
EDGES, SOFT = (-2.5, 1.0), 0.4
MIDDLES = (-4.5, -0.75, 3.0)
"""Stops between the three bands, how softly they meet, and where a band's balance and saturation are put."""
MOST_BALANCE, SATURATIONS = 0.5, (0.6, 1.6)
FEWEST, THIN = 400, 0.05
"""Pixels that must hold light; the share of them a band must have to be followed alone."""
LOOKED_AT = 30_000

NEAR_TONES, NEAR_BALANCE = 0.5, 0.12
"""Stops by which two pictures differ that may be one scene in two framings; ours, by the simulated cameras."""


@dataclass(frozen=True)
class Statistics:
    """Quantiles of log luminance in stops from mid grey (99,); a row for each band (3, 4): share, log2 of red and blue
    over green, spread of those; and how saturated (3,).
    """

    quantiles: Float64
    bands: Float64


def match(source: Picture, reference: Picture, space: Space) -> Match:
    """The held-back match of ``source`` to ``reference``."""
    mine, its = _light(source), _light(reference)
    before, wanted = statistics_of(mine, space), statistics_of(its, space)
    tone = _tone(before, wanted)
    toned = run_reference([op for step in tone for op in step.operations(space.working)], mine)
    colour = _colour(statistics_of(toned, space), wanted)
    steps = tuple(step for step in (*tone, *colour) if not step.changes_nothing)
    made = run_reference([op for step in steps for op in step.operations(space.working)], mine)
    after = statistics_of(made, space)
    first, last = _apart(before, wanted), _apart(after, wanted)
    words = (
        f"Tones {first[0]:.2f} stops apart before, {last[0]:.2f} after; "
        f"balance {first[1]:.2f} stops before, {last[1]:.2f} after"
    )
    return Match(
        "statistics",
        "statistics",
        steps,
        MatchFigures(sum(first), sum(last), sum(last), len(mine)),
        (*_near(first), "Nothing in the pictures corresponds: a starting point for the eye.", *lost(source)),
        facts={"tones_before": first[0], "tones_after": last[0], "balance_before": first[1], "balance_after": last[1]},
        words=words,
    )


def _near(first: tuple[float, float]) -> tuple[str, ...]:
    """A warning where the pictures sit beside each other already."""
    if first[0] >= NEAR_TONES or first[1] >= NEAR_BALANCE:
        return ()
    return (
        f"They are near already (tones {first[0]:.2f} stops apart, balance {first[1]:.2f}): what differs may be the "
        "framing alone, and this can make it worse. Look before you take it.",
    )


def _light(picture: Picture) -> Float64:
    """Usable pixels that hold light in every channel, evenly thinned."""
    flat = np.asarray(picture.rgb).reshape(-1, 3)
    flat = flat[np.asarray(picture.usable).ravel() & (flat > 2e-4).all(axis=1)]
    if len(flat) < FEWEST:
        raise CannotMatch("One of the pictures holds no light that could be compared: it is black, or clipped wholly.")
    return np.asarray(flat[:: max(1, len(flat) // LOOKED_AT)], dtype=np.float64)


def _bands(stops: Float64) -> Float64:
    """Shadows, middle tones, highlights: smooth weights (3, N) that sum to 1."""
    up = [1 / (1 + np.exp(-(stops - edge) / SOFT)) for edge in EDGES]
    return np.array([1 - up[0], up[0] * (1 - up[1]), up[0] * up[1]])


def statistics_of(rgb: Float64, space: Space) -> Statistics:
    """Of light (N, 3). A band's balance is the mean of the half of it nearest its median: no one thing rules."""
    light = np.maximum(rgb, 1e-6)
    stops = np.log2(light @ space.luminance / MID_GREY)
    ratios = np.log2(light[:, ::2] / light[:, 1:2])
    lab = space.lab100(light)
    chroma = np.hypot(lab[:, 1], lab[:, 2]) / np.maximum(lab[:, 0], 1e-3)
    rows = []
    for weight in _bands(stops):
        near = weight > 0.3
        if near.sum() < 30:
            rows.append((float(weight.mean()), 0.0, 0.0, 1.0))
            continue
        middle = np.median(ratios[near], axis=0)
        away = np.hypot(*(ratios - middle).T)
        core = near & (away <= np.median(away[near]))
        red, blue = np.average(ratios[core], axis=0, weights=weight[core])
        rows.append((float(weight.mean()), float(red), float(blue), float(np.mean(np.minimum(chroma[near], 1.5)))))
    return Statistics(np.quantile(stops, np.linspace(0.01, 0.99, 99)), np.array(rows))


def _tone(before: Statistics, wanted: Statistics) -> tuple[AnyStep, ...]:
    """Exposure and a Ladder."""
    widths = np.diff(KNOTS)
    held = np.clip(before.quantiles, KNOTS[0], KNOTS[-1])
    inside = np.clip((held[:, None] - KNOTS[:-1]) / widths, 0, 1) * widths
    count = len(widths)
    bend = np.column_stack([np.zeros(count - 1), np.diff(np.eye(count), axis=0)]) * SMOOTH * 10
    rest = np.column_stack([np.zeros(count), np.eye(count)]) * SMOOTH * 3
    system = np.vstack([np.column_stack([np.ones(len(held)), inside]), bend, rest])
    target = np.concatenate([wanted.quantiles, np.zeros(count - 1), np.full(count, SMOOTH * 3)])
    low, high = np.r_[-20, np.full(count, SLOPES[0])], np.r_[20, np.full(count, SLOPES[1])]
    x = lsq_linear(system, target, (low, high)).x
    curve = x[0] + np.concatenate([[0], np.cumsum(widths * x[1:])])
    stops = float(np.clip(np.interp(0, KNOTS, curve), -8, 8))
    kept = np.where(KNOTS >= BRIGHT, BRIGHT_SHARE, SHARE)
    gains = kept * (curve - KNOTS - stops)
    rungs = tuple(
        (round(float(at), 3), round(float(np.clip(gain, *Y)), 3))
        for at, gain in zip(KNOTS + stops, gains, strict=True)
        if X[0] <= at <= X[1]
    )
    ladder = (Ladder(rungs=rungs, norm="luminance"),) if len(rungs) >= 2 else ()
    return (Exposure(stops=round(stops, 4)), *ladder)


def _colour(before: Statistics, wanted: Statistics) -> tuple[AnyStep, ...]:
    """Balance by tone as curves of red and blue, saturation by brightness."""
    both = np.minimum(before.bands[:, 0], wanted.bands[:, 0])
    trust = np.clip(both / THIN, 0, 1)
    move = wanted.bands[:, 1:3] - before.bands[:, 1:3]
    overall = np.average(move, axis=0, weights=trust * both + 1e-6)
    balance = np.clip(SHARE * (overall + 0.6 * trust[:, None] * (move - overall)), -MOST_BALANCE, MOST_BALANCE)
    ratio = np.where(trust > 0.5, (wanted.bands[:, 3] + 0.02) / (before.bands[:, 3] + 0.02), 1.0)
    mean = float(np.exp(np.average(np.log(ratio), weights=before.bands[:, 0] + 1e-6)))
    chroma = np.clip((mean * (ratio / mean) ** 0.5) ** SHARE, *SATURATIONS)
    code = np.asarray(ACESCCT.from_linear(MID_GREY * np.exp2(np.array(MIDDLES))))
    red, blue = (
        tuple((round(float(c), 5), round(float(c + v * ACESCCT.log_slope), 5)) for c, v in zip(code, row, strict=True))
        for row in balance.T
    )
    bands = tuple((at, round(float(gain), 4)) for at, gain in zip(MIDDLES, chroma, strict=True))
    return (ToneCurve(red=red, blue=blue), ColourCurves(saturation_by_brightness=bands))


def _apart(one: Statistics, other: Statistics) -> tuple[float, float]:
    """Mean distance of tones in stops, and of the bands' balance."""
    weight = np.minimum(one.bands[:, 0], other.bands[:, 0]) + 1e-6
    balance = np.hypot(*(one.bands[:, 1:3] - other.bands[:, 1:3]).T)
    return float(np.mean(np.abs(one.quantiles - other.quantiles))), float(np.average(balance, weights=weight))
