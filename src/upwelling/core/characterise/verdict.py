"""What a measurement is good for, in words, and which picture would improve it most. The limits are our own: a stop of
curve is worth about 25 ΔE at mid grey, so a thirtieth is a little less than one.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np

from upwelling.core.characterise.curve import CurveFit
from upwelling.core.characterise.measure import ALL, Measured

CURVE_STOPS = {1: 0.03, 2: 0.06}
"""Uncertainty of the curve, one sigma within four stops of grey, up to which it is good for that many ΔE."""
MOST_GLARE, WIDEST_GAP, USUAL_STOPS = 0.01, 1.1, 9.0
SEVERAL = 0.3
"""ΔE by which a matrix for one light must be better to be worth an encoding of its own."""


@dataclass(frozen=True)
class Verdict:
    """``good_for`` 1 or 2 ΔE, or 0: not enough; why, and what to photograph next, the most useful first."""

    good_for: int
    sentence: str
    reasons: tuple[str, ...]
    next_pictures: tuple[str, ...]


def judged(found: Measured) -> Verdict:
    """The verdict on all that was found."""
    off, unsure = float(np.mean(found.colour[ALL].left_out)), curve_unsure(found.curve)
    alone = max((float(np.mean(fit.left_out)) for light, fit in found.colour.items() if light != ALL), default=off)
    apart = alone < off - SEVERAL
    good = next((most for most in (1, 2) if (alone if apart else off) <= most and unsure <= CURVE_STOPS[most]), 0)
    reasons = tuple(_reasons(found, off, unsure))
    each = f", {alone:.2f} with an encoding, one for each light" if apart else ""
    near = f"Patches that were left out came {off:.2f} ΔE 2000 near on average{each}"
    said = f"{near}; the curve is sure to {unsure:.3f} stop."
    sentence = f"Good for {good} ΔE. {said}" if good else f"Not enough. {said}"
    return Verdict(good, sentence, reasons, tuple(_next(found)))


def curve_unsure(curve: CurveFit) -> float:
    """The largest uncertainty, one sigma in stops, within four stops of grey as far as was measured."""
    lit = curve.light > 0
    near = lit & (curve.light > 0.18 / 16) & (curve.light < 0.18 * 16)
    chosen = curve.sigma_stops[near if near.any() else lit]
    return float(chosen.max()) if len(chosen) else float("inf")


def _reasons(found: Measured, off: float, unsure: float) -> list[str]:
    curve, reasons = found.curve, []
    alone = {light: float(np.mean(fit.left_out)) for light, fit in found.colour.items() if light != ALL}
    better = {light: value for light, value in alone.items() if value < off - SEVERAL}
    if better:
        rows = ", ".join(f"{light} {value:.2f}" for light, value in better.items())
        reasons.append(
            f"One matrix for all lights is a compromise: alone they come nearer (ΔE {rows}). Save one for each light."
        )
    elif off > 1:
        reasons.append(
            "The camera’s channels do not see as the standard observer does; no matrix brings its patches nearer."
        )
    roots = float(np.mean(found.colour[ALL].roots_left_out))
    if off > 1 and roots < off - SEVERAL / 2:
        reasons.append(f"With the root-polynomial matrix as its correction, left-out patches come {roots:.2f} ΔE near.")
    if unsure > CURVE_STOPS[1]:
        reasons.append("The exposures of the pictures do not agree well enough, or there are too few of them.")
    glare = float(np.max(curve.glare))
    if glare > MOST_GLARE:
        reasons.append(f"The chart scatters {100 * glare:.1f} % of white over its dark patches (veiling glare).")
    if found.foretold is not None and found.foretold > 3:
        reasons.append(
            f"The sensitivities foretell the chart {found.foretold:.1f} ΔE off: of another camera, or filter?"
        )
    return reasons


def _next(found: Measured) -> list[str]:
    """The most useful picture first."""
    curve, wanted = found.curve, []
    low, high = curve.stops
    metered = sorted({p.stops for p in found.pictures if p.target != "dark"})
    gaps = [(b - a, (a + b) / 2) for a, b in itertools.pairwise(metered) if b - a > WIDEST_GAP]
    if gaps:
        wanted.append(f"a grey at {max(gaps)[1]:+.1f} stops: nothing lies between its neighbours")
    if not curve.clips:
        wanted.append(f"a grey at {metered[-1] + 1:+.0f} and {metered[-1] + 2:+.0f} stops: the clip was not reached")
    if high - low < USUAL_STOPS or not curve.floor_seen:
        wanted.append(f"a grey at {metered[0] - 1:+.0f} and {metered[0] - 2:+.0f} stops: the noise was not reached")
    if not any(p.target == "dark" for p in found.pictures):
        wanted.append("one with the lens capped: the code of black is only carried on from the darkest grey")
    if len(found.colour) == 1:
        warm = found.pictures[0].light in ("A", "3200 K", "LED-B2", "LED-V1")
        wanted.append(f"the chart under {'daylight' if warm else 'tungsten'}: colours are known under one light alone")
    if float(np.max(curve.glare)) > MOST_GLARE:
        wanted.append("the chart again with black cloth around it, and no bright thing in the picture")
    if not any(p.target == "140" for p in found.pictures) and float(np.mean(found.colour[ALL].left_out)) > 1:
        wanted.append("a chart of 140 patches: more colours hold the matrix better")
    return [text.replace(" -", " −") for text in wanted]
