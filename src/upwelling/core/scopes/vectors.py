"""The vectorscope: colour differences Pb and Pr."""

from upwelling.core.scopes.base import Looked, Scope
from upwelling.core.scopes.dots import dot_picture, vectorscope
from upwelling.core.scopes.levels import Shades


def _shades(looked: Looked) -> Shades:
    return dot_picture(vectorscope(looked.signal(), looked.weights, looked.spans, looked.gain), looked.pixels)


VECTORSCOPE = Scope("vectorscope", "Vectorscope", "colour differences", _shades)
