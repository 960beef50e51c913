"""A print's settings, and its light solved so that mid grey is shown where it is wanted.

Dyes are Gaussians over wavelength about 650, 545 and 445 nm, and light is taken at those three places: representative
of subtractive dyes in general (R. W. G. Hunt, “The Reproduction of Colour”, 6th ed. 2004, chapter 12, from memory), of
no product.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Annotated, Any

import numpy as np
from pydantic import Field
from scipy.optimize import brentq

from upwelling.core.arrays import MID_GREY, STOP
from upwelling.core.errors import BadValue
from upwelling.core.frozen import Frozen
from upwelling.core.operations.film import POINT, Characteristic, Negative, Print
from upwelling.core.parameters import number, triple

PEAKS = (650.0, 545.0, 445.0)
"""Where the cyan, magenta and yellow dye absorb most, in nm."""
SDR_DENSITY = 1.0
"""Density of mid grey over white on an SDR display, a tenth of its peak; a brighter display's base is clearer by what
mid grey lies deeper there.
"""
WHITE_STOPS = 10.0
"""Stops above mid grey that print as white: a negative only nears its greatest density."""
Factor = Annotated[float, Field(ge=0.7, le=1.4)]
Rolled = Annotated[float, Field(ge=0.25, le=4)]
Points = Annotated[float, Field(ge=-24, le=24)]


def dye_rows(width: float) -> Any:
    """How much of R, G and B light (rows) each dye (cyan, magenta, yellow) takes, ``width`` its sigma in nm."""
    apart = np.subtract.outer(PEAKS, PEAKS)
    taken = np.exp(-0.5 * (apart / width) ** 2)
    return tuple(tuple(float(v) for v in row) for row in taken / taken.sum(axis=1, keepdims=True))


class PrintSettings(Frozen):
    """The print, its printer lights and its dyes."""

    print_gamma: float = number(
        2.2,
        "Print contrast",
        "",
        1.4,
        4,
        0.05,
        "Slope of the print's straight line; times the negative's, the picture's.",
    )
    print_most: float = number(
        3.6, "Print Dmax", "density", 2, 4.5, 0.05, "Greatest density over white: how deep black is."
    )
    print_toe: float = number(
        0.6, "Highlight roll-off", "stops", 0.15, 2, 0.05, "How softly the print reaches white: its toe."
    )
    print_shoulder: float = number(
        0.6, "Black roll-off", "stops", 0.15, 2, 0.05, "How softly it reaches its greatest density."
    )
    layer_print: tuple[Factor, Factor, Factor] = triple(
        (1.0, 1.0, 1.0), "Contrast by layer", "×", 0.7, 1.4, 0.01, "Slope of each layer of the print: crossed colours."
    )
    layer_roll: tuple[Rolled, Rolled, Rolled] = triple(
        (1.0, 1.0, 1.0),
        "Roll-off by layer",
        "×",
        0.25,
        4,
        0.05,
        "A layer that rolls off earlier keeps its light from highlights.",
    )
    lights: tuple[Points, Points, Points] = triple(
        (0.0, 0.0, 0.0),
        "Printer lights",
        "points",
        -24,
        24,
        0.5,
        "0.025 of log exposure each; + is brighter in that channel.",
    )
    dye_width: float = number(
        45.0, "Dye width", "nm", 25, 65, 1, "Sigma of each dye's absorption: wide dyes take light that is not theirs."
    )

    def printed(self, negative: Negative, mid_relative: float) -> Print:
        """The print of a negative that shows mid grey at ``mid_relative`` of white at rest of the printer lights.

        Raises BadValue where its range does not reach that far.
        """
        middle, wanted = negative.of_grey(MID_GREY), -np.log10(mid_relative)
        most = self.print_most + max(wanted - SDR_DENSITY, 0.0)
        layers, lights, clearest = [], [], []
        for i, top in enumerate(negative.of_grey(MID_GREY * 2.0**WHITE_STOPS)):
            gamma, toe = self.print_gamma * self.layer_print[i], self.print_toe * self.layer_roll[i] * STOP
            curve = Characteristic(gamma, most, 0.0, toe, self.print_shoulder * STOP)
            light = _light_for(curve, middle[i], top, float(wanted)) - POINT * self.lights[i]
            layers.append(curve)
            lights.append(light)
            clearest.append(float(curve(light - top)))
        made: list[Any] = [tuple(layers), tuple(lights), tuple(clearest)]
        return Print(made[0], made[1], made[2], dye_rows(self.dye_width))


@lru_cache(maxsize=256)
def _light_for(curve: Characteristic, middle: float, top: float, wanted: float) -> float:
    """log₁₀ of exposure at which a negative's ``middle`` prints ``wanted`` denser than its ``top``.

    Kept: a path is made anew for every picture while a hand drags.
    """

    def over(light: Any) -> Any:
        return curve(light - middle) - curve(light - top) - wanted

    tried = np.linspace(middle - 1, middle + curve.end + 1, 241)
    reached = tried[over(tried) > 0]
    if not len(reached):
        raise BadValue(
            "This negative and print have too little range to show mid grey that far below white. Raise the print's "
            "contrast or Dmax, or the negative's gamma or latitude."
        )
    return float(brentq(over, tried[0] - 2, reached[0], xtol=1e-12))
