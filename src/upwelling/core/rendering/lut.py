"""A third-party conversion LUT as the rendering, with the spaces a person declared for it."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from upwelling.core.arrays import MID_GREY
from upwelling.core.colour.primaries import Adaptation, Primaries, rgb_to_rgb
from upwelling.core.errors import BadValue, UpwellingError
from upwelling.core.operations import Affine, Matrix, Operation, encode_operations
from upwelling.core.operations.declared_lut import DeclaredLut
from upwelling.core.outputs import Output, output
from upwelling.core.rendering.base import ToneMap


class LutRendering(ToneMap):
    """Scene light encoded as the table expects; what it gives is the declared display's code, turned back to that
    display's light.

    For another output of the same kind of range the light is matched by peak; between SDR and HDR it would be wrong,
    and is refused.
    """

    title: ClassVar[str] = "LUT brought in"
    explanation: ClassVar[str] = (
        "A conversion table made elsewhere does the tone map; its declared spaces say what goes in and what comes out."
    )
    source: ClassVar[str] = "The table's own file, known by its hash"
    keeps: ClassVar[str] = "what the table keeps"
    hue_bound: ClassVar[float] = 180.0
    largest_step: ClassVar[tuple[float, float | None]] = (100.0, 100.0)

    kind: Literal["lut"] = "lut"
    lut: DeclaredLut = Field(title="Table", description="The table and its declared spaces.")

    @model_validator(mode="after")
    def _gives_display(self) -> Self:
        try:
            output(self.lut.gives)
        except UpwellingError:
            raise ValueError(
                f"{self.lut.table.name} gives {self.lut.gives}, which is no display output: declare the output it was "
                "made for"
            ) from None
        return self

    def tone(self, working: Primaries, target: Output, adaptation: Adaptation) -> tuple[Operation, ...]:
        source, made_for = self.lut.source, output(self.lut.gives)
        if made_for.is_hdr != target.is_hdr:
            kinds = ("an SDR", "an HDR") if target.is_hdr else ("an HDR", "an SDR")
            raise BadValue(
                f"{self.lut.table.name} was made for {made_for.name}, {kinds[0]} display; {target.name} is {kinds[1]} "
                "one. Choose another rendering for it."
            )
        scale = made_for.peak_nits / target.peak_nits if target.is_hdr else 1.0
        return (
            Matrix.of(rgb_to_rgb(working, source.primaries, adaptation)),
            *encode_operations(source),
            *self.lut.operations(),
            *made_for.decode_operations(),
            Affine(scale),
            Matrix.of(rgb_to_rgb(made_for.gamut, target.gamut, adaptation)),
        )

    def peak_stops(self, target: Output) -> float:
        source = self.lut.source
        brightest = float(source.curve.to_linear(np.array(1.0))) * source.linear_scale
        return float(np.log2(max(brightest, 1e-6) / MID_GREY))

    def values_text(self, target: Output) -> str:
        return f"{self.lut.table.name}: {self.lut.expects} → {self.lut.gives}"
