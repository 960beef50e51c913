"""Zone balance as its plot shows it."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.colour.primaries import Primaries
from upwelling.core.steps import ZoneBalance
from upwelling.core.steps.zone_balance import Borders

LOW, HIGH, PLACES = -8.0, 8.0, 129


def zone_points(step: ZoneBalance, working: Primaries) -> dict[str, Any]:
    """Shares of the zones and the gain of neutral light, in stops, over stops; and what the borders had to give way."""
    stops = np.linspace(LOW, HIGH, PLACES)
    times = step.widened(working)
    borders = Borders(step.borders, step.softness, times)
    gains = [gain(stops) for gain in step.gains(borders, working)]
    low, high = (times * width for width in step.softness)
    said = f"Borders are {low:.1f} and {high:.1f} stops soft, so that no tone folds over" if times > 1 else ""
    return {
        "low": LOW,
        "high": HIGH,
        "shares": borders(stops).round(4).tolist(),
        "gain": np.mean(gains, axis=0).round(4).tolist(),
        "said": said,
    }
