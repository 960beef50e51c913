"""A negative's settings, in the terms of sensitometry."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field

from upwelling.core.arrays import STOP
from upwelling.core.frozen import Frozen
from upwelling.core.operations.film import Characteristic, Negative
from upwelling.core.parameters import number, triple

Factor = Annotated[float, Field(ge=0.7, le=1.4)]
Stops = Annotated[float, Field(ge=-3, le=3)]


class NegativeSettings(Frozen):
    """Three layers of one kind, with what sets them apart."""

    gamma: float = number(
        0.6, "Negative gamma", "", 0.4, 0.9, 0.01, "Slope of the straight line: density over log exposure."
    )
    latitude: float = number(
        12.5, "Latitude", "stops", 6, 16, 0.25, "Length of the straight line, from base to the greatest density."
    )
    speed: float = number(
        6.0, "Speed", "stops", 2, 8, 0.1, "Mid grey above the start of the straight line; less lifts black."
    )
    toe: float = number(0.8, "Negative toe", "stops", 0.2, 2.5, 0.05, "How softly shadows leave the base.")
    shoulder: float = number(
        1.0, "Shoulder", "stops", 0.2, 2.5, 0.05, "How softly highlights reach the greatest density."
    )
    layer_gamma: tuple[Factor, Factor, Factor] = triple(
        (1.0, 1.0, 1.0),
        "Gamma by layer",
        "×",
        0.7,
        1.4,
        0.01,
        "Slope of each layer: unlike slopes turn shadows and highlights.",
    )
    layer_latitude: tuple[Stops, Stops, Stops] = triple(
        (0.0, 0.0, 0.0),
        "Latitude by layer",
        "stops",
        -3,
        3,
        0.1,
        "A layer that ends earlier leaves highlights its own colour.",
    )
    interlayer: float = number(
        0.15,
        "Inter-layer effect",
        "share",
        0,
        0.5,
        0.01,
        "How much layers hold each other back in development: purer colour.",
    )
    overlap: float = number(
        0.04, "Layer overlap", "share", 0, 0.2, 0.01, "How much of what each layer sees is all three channels' mean."
    )
    flash: float = number(
        0.0,
        "Flash",
        "share",
        0,
        0.2,
        0.005,
        "Even light on the negative before the picture, in mid greys: opens shadows.",
    )

    def negative(self) -> Negative:
        """The operation."""
        layers: Any = tuple(
            Characteristic(
                self.gamma * factor,
                self.gamma * factor * max(self.latitude + more, 3.0) * STOP,
                -self.speed * STOP,
                self.toe * STOP,
                self.shoulder * STOP,
            )
            for factor, more in zip(self.layer_gamma, self.layer_latitude, strict=True)
        )
        return Negative(layers, self.overlap, self.flash, self.interlayer)
