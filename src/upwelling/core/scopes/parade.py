"""Red, green and blue waveforms side by side."""

from upwelling.core.scopes.base import Looked, Scope
from upwelling.core.scopes.levels import Shades, level_picture, parade


def _shades(looked: Looked) -> Shades:
    signal = looked.signal()
    return level_picture(parade(signal, looked.spans), *signal.shape[:2])


PARADE = Scope("parade", "Parade", "levels", _shades, side_by_side=True)
