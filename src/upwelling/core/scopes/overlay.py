"""Red, green and blue waveforms over each other."""

from upwelling.core.scopes.base import Looked, Scope
from upwelling.core.scopes.levels import Shades, level_picture, parade


def _shades(looked: Looked) -> Shades:
    signal = looked.signal()
    return level_picture(parade(signal, looked.spans, columns=256), *signal.shape[:2])


OVERLAY = Scope("overlay", "RGB overlay", "levels", _shades)
