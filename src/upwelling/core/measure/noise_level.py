"""At which level noise is best calmed in a picture, and whether that helps it at all."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import STOPS_A_CODE, Float32, Float64
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.errors import BadValue
from upwelling.core.measure.noise import MOST_MOVED, ErrorLeft, moved_share, noise_of
from upwelling.core.operations.base import Place
from upwelling.core.steps import CalmNoise

LEVELS = (0.02, 0.04, 0.07, 0.12, 0.2, 0.35, 0.6, 1.0)
"""Noise levels that are tried on a picture."""
LEAST, HELPS, HARMS = 0.15, 0.8, 1.2
"""Shares of the error left by estimate: below the first the noise is not of the kind that the estimate is of, as no
calming leaves so little; the others speak for the step, and against it. See docs/numbers.md.
"""


@dataclass(frozen=True)
class FoundLevel:
    """The level that leaves least error by estimate, and a sentence on what the step does to this picture."""

    level: float
    sentence: str


def find_level(step: CalmNoise, light: Float32, later: Float32 | None, place: Place) -> FoundLevel:
    """Of scene light (H, W, 3) that reaches the step, and that of the next frame. Raises BadValue where no part of the
    picture is even enough for its noise to be told.
    """
    log_rgb, after = _stops(light), None if later is None else _stops(later)
    still = after is not None and moved_share(log_rgb, after) <= MOST_MOVED
    # A picture alone cannot tell fine texture from soft noise: both ways of reading it must agree.
    read = [noise_of(log_rgb, after)] if still else [noise_of(log_rgb, soft=False), noise_of(log_rgb)]
    known = [one for one in read if one is not None]
    if not known:
        raise BadValue("No part of this picture is even enough to tell its noise.")

    trials = [ErrorLeft(log_rgb, noise) for noise in known]

    def left(level: float) -> list[float]:
        calm = step.model_copy(update={"level": level}).calm()
        return [trial.after(lambda stops: _stops(calm.run_at(_light(stops), place))) for trial in trials]

    errors, level = min(((left(level), level) for level in LEVELS), key=lambda one: max(one[0]))
    shares = [after / max(trial.before, 1e-9) for trial, after in zip(trials, errors, strict=True)]
    noises = " to ".join(dict.fromkeys(f"{trial.before:.3f}" for trial in trials))
    how = "by the difference from the next frame" if still else "by its even parts"
    said = f"Noise of {noises} stops, {how}"
    if min(shares) < LEAST:
        why = "It is not such as a sensor makes (compressed, or calmed before), so nothing is told"
    elif max(shares) < HELPS:
        return FoundLevel(level, f"{said}; by estimate {100 * max(shares):.0f} % of it are left: a sign for it.")
    elif min(shares) > HARMS:
        why = "By estimate it takes more detail than noise, a sign against it"
    elif still:
        why = "By estimate little is gained"
    else:
        why = "Some of that may be fine texture, so this tells little"
    return FoundLevel(level, f"{said}. {why}: compare with and without.")


def _stops(light: Any) -> Float64:
    return np.asarray(ACESCCT.from_linear(light), dtype=np.float64) * STOPS_A_CODE


def _light(stops: Float64) -> Float32:
    return np.asarray(ACESCCT.to_linear(stops / STOPS_A_CODE), dtype=np.float32)
