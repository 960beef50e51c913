"""Selections: one kind of selection a file. ``SELECTIONS`` is the explicit list of members."""

from upwelling.core.steps.selections.base import Selection, Shape
from upwelling.core.steps.selections.colour_range import ColourRange
from upwelling.core.steps.selections.ellipse import Ellipse
from upwelling.core.steps.selections.line import LinearGradient
from upwelling.core.steps.selections.matte import MOST_SELECTIONS, SELECTIONS, Matte
from upwelling.core.steps.selections.polygon import Polygon
from upwelling.core.steps.selections.radial import RadialGradient
from upwelling.core.steps.selections.rectangle import Rectangle
from upwelling.core.steps.selections.sampling import range_around, sampled

__all__ = [
    "MOST_SELECTIONS",
    "SELECTIONS",
    "ColourRange",
    "Ellipse",
    "LinearGradient",
    "Matte",
    "Polygon",
    "RadialGradient",
    "Rectangle",
    "Selection",
    "Shape",
    "range_around",
    "sampled",
]
