"""Does a step crush, clip or fold tones? Tried on a neutral ramp, and said with numbers."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from upwelling.core.arrays import MID_GREY
from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import run_reference
from upwelling.core.parameters import signed
from upwelling.core.steps.base import Step

LOWEST, HIGHEST, A_STOP = -8.0, 10.0, 16
"""The ramp in stops from mid grey, and its values to a stop."""
CRUSHED = 0.1
"""Fewer stops out than this for a stop in is crushed; our own limit."""


@lru_cache(maxsize=64)
def tonal_report(step: Step, working: Primaries) -> tuple[str, ...]:
    """Sentences about what the step does to a neutral ramp of −8…+10 stops; empty when every tone keeps its own."""
    if step.needs(working):
        return step.folds  # a ramp of tones stands nowhere
    stops = np.linspace(LOWEST, HIGHEST, round((HIGHEST - LOWEST) * A_STOP) + 1)
    light = MID_GREY * np.exp2(stops)
    # A colour range would pick parts of a ramp that is neutral anyway; the step is judged at its full reach.
    out = run_reference(
        step.at(0).model_copy(update={"limit": None}).operations(working), np.repeat(light[:, None], 3, axis=1)
    )
    said = []
    for channel, name in enumerate(("Red", "Green", "Blue")):
        said += [(name, text) for text in _channel(stops, out[:, channel])]
    texts = list(dict.fromkeys(text for _, text in said))
    return step.folds + tuple(
        text if sum(t == text for _, t in said) == 3 else f"{', '.join(name for name, t in said if t == text)}: {text}"
        for text in texts
    )


def _channel(stops: np.ndarray, out: np.ndarray) -> list[str]:
    said = []
    negative = out <= 0
    if negative.any():
        said.append(f"tones from {signed(stops[negative].max(), 1)} stops down fall to 0 or below")
    slope = np.diff(np.log2(np.maximum(out, 1e-9))) * A_STOP
    both = ~negative[1:] & ~negative[:-1]
    folds, flat = both & (slope < -1e-6), both & (slope >= -1e-6) & (slope < 1e-3)
    crushed = both & (slope >= 1e-3) & (slope < CRUSHED)
    for where, text in (
        (folds, "tones fold over"),
        (flat, "tones become one and the same (clipped)"),
        (
            crushed,
            f"tones are crushed, to as little as {slope[crushed].min() if crushed.any() else 0:.2f} stops a stop",
        ),
    ):
        if where.any():
            said.append(
                f"{text} between {signed(stops[:-1][where].min(), 1)} and {signed(stops[1:][where].max(), 1)} stops"
            )
    return said
