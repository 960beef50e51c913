"""What a fit says: figures in ΔE 2000 and the steps."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.match.light import Match, MatchFigures
from upwelling.core.match.models import apply, steps_of
from upwelling.core.match.robust import Fit, Samples

LEAST_GAIN = 0.02
"""ΔE 2000 by which a correction must come nearer to be worth having."""
WORDS = {
    "exposure": "exposure alone",
    "balance": "exposure and balance",
    "saturation": "balance and saturation",
    "contrast": "balance, saturation and contrast",
    "matrix": "a matrix and contrast",
    "root": "a root-polynomial matrix and contrast",
    "curve": "a matrix and a tone curve",
}


def reported(
    method: str,
    found: Fit,
    samples: Samples,
    remarks: tuple[str, ...] = (),
    *,
    left_out: float | None = None,
    facts: dict[str, Any] | None = None,
) -> Match:
    """The match of a fit: ΔE 2000 of what corresponds, both sides brought to the brightness of mid grey."""
    space = samples.space
    wanted = samples.wanted * samples.scale
    own = samples.source * samples.scale
    made = apply(found.model, found.values, samples.source, space)[0] * samples.scale
    before, after = space.delta_e(own, wanted), space.delta_e(made, wanted)
    inside = after[found.inlier]
    figures = MatchFigures(
        float(np.median(before[found.inlier])),
        float(np.median(inside)),
        float(np.percentile(inside, 95)),
        int(found.inlier.sum()),
        left_out,
    )
    steps = steps_of(found.model, found.values, space)
    said = f"What is corrected: {WORDS[found.model]}."
    if figures.after >= figures.before - LEAST_GAIN:
        steps, said = (), "They sit beside each other already; no correction comes nearer."
    return Match(
        method,
        found.model,
        steps,
        figures,
        (said, *remarks),
        tuple(float(v) for v in after),
        tuple(float(v) for v in before),
        tuple(bool(v) for v in ~found.inlier),
        tuple(None if np.isnan(v) else float((v + 180) % 360 - 180) for v in space.hue(made) - space.hue(wanted)),
        facts or {},
    )
