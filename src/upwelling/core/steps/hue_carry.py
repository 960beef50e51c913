"""Carrying a hue to another by a hue curve, as widely as keeps its neighbours apart; and what that costs them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from pydantic import ValidationError

from upwelling.core.errors import BadValue
from upwelling.core.parameters import signed, spoken
from upwelling.core.steps.colour_curves import TURNS, ColourCurves

NARROWEST, WIDEST = 30.0, 90.0
"""Degrees on either side over which a turn fades out."""
PER_DEGREE = 3.0
"""Degrees of fading for a degree of turn: at its steepest, the spline's slope is then half of where hues would meet."""
LEAST_SLOPE = 0.01
"""Degrees of hue out for one in below which hues count as meeting; between points the spline is steeper than they."""
MOST = 59.0
"""Degrees a hue can be carried: at 60 and the widest fading, hues would meet."""


@dataclass(frozen=True)
class Carried:
    """The step, the degrees on either side that move along, and how near and how far its neighbours come to lie, as
    factors of their distance.
    """

    step: ColourCurves
    width: float
    closest: float
    farthest: float

    def cost(self) -> str:
        """What it costs, for the person who asked."""
        apart = f"{self.closest:.2f} to {self.farthest:.2f} as far apart as before"
        said = f"hues up to {self.width:.0f}° away move along, {apart}"
        doubts = []
        if self.closest < 0.4:
            doubts.append("different hues come near one another")
        if self.farthest > 1.6:
            doubts.append("smooth runs of hue may show bands")
        return said + (f": {' and '.join(doubts)}" if doubts else "")


def width_for(by: float) -> float:
    """Degrees of fading for a turn: at least 30, three for each degree, at most 90."""
    return float(np.clip(PER_DEGREE * abs(by), NARROWEST, WIDEST))


def carried(step: ColourCurves, hue: float, by: float) -> Carried:
    """The step with a hue turned by that many degrees more, its neighbours as far as they must; raises BadValue."""
    if abs(by) > MOST:
        raise BadValue(
            f"A hue curve carries a hue by {MOST:.0f}° at most, not by {signed(by, 0)}°: beyond that other hues would "
            "have to pass it. Select the colour and use Turn colours instead."
        )
    width = width_for(by)
    curve = step.curve_of("hue_by_hue")
    kept = [(x, y) for x, y in step.hue_by_hue if min(abs(x - hue), 360 - abs(x - hue)) > width + 1]
    places = [(hue - width) % 360, hue % 360, (hue + width) % 360]
    three = [(round(x, 3), round(float(curve(x)) + (by if n == 1 else 0.0), 3)) for n, x in enumerate(places)]
    low, high = TURNS
    if not low <= three[1][1] <= high:
        raise BadValue(
            f"With what the curve does already, that hue would be turned by {three[1][1]:.0f}°: more than {high:.0f}°."
        )
    points = tuple(sorted([*kept, *three]))
    try:
        made = ColourCurves.model_validate({**step.model_dump(), "hue_by_hue": points})
    except ValidationError as error:
        raise BadValue(f"With what the curve does already, that cannot be: {spoken(error)}") from None
    slopes = made.hue_slopes
    if slopes.min() < LEAST_SLOPE:
        raise BadValue(
            f"With what the curve does already, a turn by {signed(by, 0)}° would make other hues pass one another. "
            "Straighten the curve there, or select the colour and use Turn colours."
        )
    return Carried(made, width, float(slopes.min()), float(slopes.max()))
