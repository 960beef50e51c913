"""What every tone map answers, and the documentation its controls are built from."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.colour.primaries import Adaptation, Primaries
from upwelling.core.frozen import Frozen
from upwelling.core.operations import Operation, run_reference
from upwelling.core.outputs import Output
from upwelling.core.rendering.fits import AnyFit, SmoothFit

Preserved = Literal["channels", "luminance", "largest channel", "power norm"]
"""What goes through the curve: each channel for itself, or one norm of the pixel, whose channels then keep their
ratios.

The power norm, Σc³/Σc², is weighted towards the largest channel.
"""
OWN = ("kind", "fit")
"""Fields every tone map has; the rest are its parameters."""


class ToneMap(Frozen):
    """A way from scene light to display light: a frozen, validated value, with the gamut fit that ends it.

    ``hue_bound`` is the largest turn of hue in ICtCp, in degrees, over the torture chart's sweeps of saturated light on
    BT.709 BT.1886, below where a sweep leaves its gamut. ``largest_step`` is the largest ΔE (76 of CIELAB on SDR, ITP
    on HDR outputs; None: not made for it) between two camera codes 2e-5 apart that a hunt may find, with the smooth
    fit. Tests hold each method to its own.
    """

    title: ClassVar[str]
    explanation: ClassVar[str]
    source: ClassVar[str]
    keeps: ClassVar[str]
    hue_bound: ClassVar[float]
    largest_step: ClassVar[tuple[float, float | None]]

    later: ClassVar[tuple[str, ...]] = ()
    """Settings that came to this method later: at rest they are left out of fingerprints, which older ones lack."""

    kind: str = ""
    fit: AnyFit = SmoothFit()

    def tone(self, working: Primaries, target: Output, adaptation: Adaptation) -> tuple[Operation, ...]:
        """Scene-linear working light to relative display light in the output's gamut, channels still outside 0…1 where
        they fall so.
        """
        raise NotImplementedError

    def operations(self, working: Primaries, target: Output, adaptation: Adaptation) -> tuple[Operation, ...]:
        """The whole rendering: relative display light, 0…1 in each channel.

        Raises BadValue when settings cannot meet.
        """
        return (*self.tone(working, target, adaptation), self.fit.operation(target, adaptation))

    def peak_stops(self, target: Output) -> float:
        """Stops above mid grey from which a neutral is shown at the display's peak, or as bright as it gets."""
        raise NotImplementedError

    def values_text(self, target: Output) -> str:
        """A few words with numbers, for the Column."""
        raise NotImplementedError

    def neutral(self, stops: Any, working: Primaries, target: Output) -> Float64:
        """Relative display light of neutrals at ``stops`` from mid grey, any shape."""
        grey = MID_GREY * np.exp2(np.asarray(stops, dtype=np.float64))
        return run_reference(self.operations(working, target, "CAT02"), np.repeat(grey[..., None], 3, axis=-1))[..., 1]
