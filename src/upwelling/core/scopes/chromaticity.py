"""Chromaticities of linear light in CIE 1976 u', v'."""

from upwelling.core.scopes.base import Looked, Scope
from upwelling.core.scopes.dots import chromaticities, dot_picture
from upwelling.core.scopes.levels import Shades


def _shades(looked: Looked) -> Shades:
    light, space = looked.light()
    return dot_picture(chromaticities(light, space, looked.spans), looked.pixels)


CHROMATICITY = Scope("chromaticity", "Chromaticity", "chromaticities", _shades)
