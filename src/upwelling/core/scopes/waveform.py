"""The waveform of a signal's luma."""

from upwelling.core.scopes.base import Looked, Scope
from upwelling.core.scopes.levels import Shades, level_picture, waveform


def _shades(looked: Looked) -> Shades:
    signal = looked.signal()
    return level_picture(waveform(signal, looked.weights, looked.spans), *signal.shape[:2])


WAVEFORM = Scope("waveform", "Waveform", "levels", _shades)
