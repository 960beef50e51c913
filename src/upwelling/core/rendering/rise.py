"""Rise: the default rendering. Scene light to the light of any display, hue kept and highlights eased towards white, in
one closed form.

What it does to a pixel stands in ``rise_operation``. The contrast is that for a dim surround of 5 cd/m². For another
surround it is multiplied by 0.98^log2(L_surround/5), the law that Report ITU-R BT.2390-8 (section 6.2) gives for the
system gamma of HLG; ``surround`` says how much of that is used.
"""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from upwelling.core.arrays import MID_GREY
from upwelling.core.colour.primaries import Adaptation, Primaries
from upwelling.core.errors import BadValue
from upwelling.core.operations import Operation
from upwelling.core.outputs import Output
from upwelling.core.parameters import number
from upwelling.core.rendering.base import ToneMap
from upwelling.core.rendering.rise_operation import RiseOperation
from upwelling.core.rendering.root_space import RootSpace
from upwelling.core.rendering.tone_curve import ToneCurve

SURROUND_LAW, SURROUND_OF_REFERENCE = 0.98, 5.0


class Rise(ToneMap):
    """The settings of the default rendering."""

    title: ClassVar[str] = "Rise"
    explanation: ClassVar[str] = (
        "Smooth tone curve on a norm, hue kept, highlights eased to white; one family for every peak."
    )
    source: ClassVar[str] = "Our own; surround by Report ITU-R BT.2390-8, section 6.2"
    keeps: ClassVar[str] = "hue, between Oklab’s and ICtCp’s; chromaticity below the ease start"
    hue_bound: ClassVar[float] = 3.0
    largest_step: ClassVar[tuple[float, float | None]] = (0.17, 0.4)

    later: ClassVar[tuple[str, ...]] = ("brighter",)

    kind: Literal["rise"] = "rise"
    contrast: float = number(
        1.3, "Contrast", "stops/stop", 0.8, 2.0, 0.02, "Slope of the tone curve at mid grey, in a dim surround."
    )
    toe: float = number(0.1, "Toe", "×", -0.6, 1.0, 0.02, "Above 0 deepens shadows, below 0 opens them.")
    shoulder: float = number(
        0.5, "Shoulder start", "stops", 0.0, 2.0, 0.05, "Stops above mid grey where highlights begin to be compressed."
    )
    scene_peak: float = number(
        64.0,
        "Scene peak",
        "× white",
        4.0,
        1024.0,
        1.0,
        "Scene light, in diffuse whites, that is shown at the display's peak.",
    )
    ease_start: float = number(
        1.5, "Ease start", "stops", 0.0, 6.0, 0.1, "Stops above mid grey where saturated light begins to turn white."
    )
    desaturation: float = number(
        1.0,
        "Highlight desaturation",
        "×",
        0.0,
        1.0,
        0.02,
        "How far light has turned white at the scene peak; below 1 the gamut's ceiling does the rest.",
    )
    surround: float = number(
        1.0,
        "Surround",
        "×",
        0.0,
        2.0,
        0.1,
        "How much of BT.2390's law for the output's surround is applied to the contrast; 0 ignores the surround.",
    )

    brighter: float = number(
        0.0,
        "Brighter",
        "stops",
        -1.0,
        1.5,
        0.05,
        "Mid grey above the output's own level, which on SDR is a tenth of its peak, as pictures derived from HDR have "
        "it; about 0.85 stands beside an ordinary photograph.",
    )

    def contrast_for(self, target: Output) -> float:
        """The contrast in the output's surround."""
        return float(
            self.contrast * SURROUND_LAW ** (self.surround * np.log2(target.surround_nits / SURROUND_OF_REFERENCE))
        )

    def curve(self, target: Output) -> ToneCurve:
        """The tone curve for a display; raises BadValue when the settings cannot meet."""
        return ToneCurve.solve(
            contrast=self.contrast_for(target),
            toe=self.toe,
            shoulder=self.shoulder,
            scene_peak=self.scene_peak,
            mid_relative=target.mid_grey * 2.0**self.brighter,
            hdr_nits=target.peak_nits if target.is_hdr else 0.0,
        )

    def made(self, working: Primaries, target: Output, adaptation: Adaptation, fitted: bool) -> RiseOperation:
        """Solved for a working space and an output, with or without the gamut fit; raises BadValue when the settings
        cannot meet.
        """
        curve = self.curve(target)
        if self.ease_start > curve.peak_stops - 0.5:
            raise BadValue(
                f"Highlights cannot begin to ease at {self.ease_start:.1f} stops when the scene peak is at "
                f"{curve.peak_stops:.1f}. Lower the ease start or raise the scene peak."
            )
        return RiseOperation(
            curve,
            self.ease_start,
            self.desaturation,
            RootSpace(working, target.gamut, adaptation, target.peak_nits),
            fitted,
        )

    def tone(self, working: Primaries, target: Output, adaptation: Adaptation) -> tuple[Operation, ...]:
        return (self.made(working, target, adaptation, False),)

    def operations(self, working: Primaries, target: Output, adaptation: Adaptation) -> tuple[Operation, ...]:
        if self.fit.kind == "smooth":
            return (self.made(working, target, adaptation, True),)
        return super().operations(working, target, adaptation)

    def peak_stops(self, target: Output) -> float:
        return float(np.log2(self.scene_peak / MID_GREY))

    def values_text(self, target: Output) -> str:
        return f"Rise, scene peak {self.scene_peak:g} × white → {target.peak_nits:g} cd/m²"
