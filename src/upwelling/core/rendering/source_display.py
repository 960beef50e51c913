"""The HDR display whose picture the published HDR-to-SDR methods begin with.

Scene light is put onto it as on a reference HLG display: luminance to the power 1.2 with channels in ratio (the OOTF of
ITU-R BT.2100-2 at 1000 cd/m²), diffuse white at 203 cd/m² (ITU-R BT.2408-7, table 1), so that mid grey 0.18 comes to 26
cd/m². What is brighter than the display's peak, or outside BT.2020, is cut off there, as it would be in the HDR
version.
"""

from __future__ import annotations

from typing import Any

from upwelling.core.colour.primaries import Adaptation, Primaries, primaries, rgb_to_rgb
from upwelling.core.curves.hlg import LUMINANCE
from upwelling.core.operations import LuminancePower, Matrix, Operation
from upwelling.core.parameters import number
from upwelling.core.rendering.limit import Limit
from upwelling.core.rendering.tone_curve import BRIGHTEST

SYSTEM_GAMMA = 1.2
BT2020 = primaries("BT.2020")


def source_peak() -> Any:
    """The parameter every method from a source display has."""
    return number(
        1000.0,
        "Source peak",
        "cd/m²",
        200.0,
        10000.0,
        10.0,
        "Peak of the HDR display whose picture is mapped; brighter scene light is cut off there.",
    )


def source_white() -> Any:
    """Where diffuse white lies on the source display."""
    return number(
        203.0,
        "Source white",
        "cd/m²",
        50.0,
        400.0,
        1.0,
        "Diffuse white on the source display; mid grey follows at 12.8 % of it. 203 is the level of BT.2408.",
    )


def source_operations(working: Primaries, adaptation: Adaptation, peak: float, white: float) -> tuple[Operation, ...]:
    """Scene-linear working light to the source display's light, BT.2020, relative to its peak.

    Channels below 0 are cut off before the OOTF too, as a signal has none: where they bring luminance to 0, its power
    would make colours jump.
    """
    return (
        Matrix.of(rgb_to_rgb(working, BT2020, adaptation)),
        Limit(0.0, BRIGHTEST),
        LuminancePower(LUMINANCE, SYSTEM_GAMMA - 1, white / peak),
        Limit(0.0, 1.0),
    )


def scene_of(relative: float, peak: float, white: float) -> float:
    """Scene light of a neutral that the source display shows at ``relative``."""
    return float((relative * peak / white) ** (1 / SYSTEM_GAMMA))


def to_gamut(target: Primaries, adaptation: Adaptation) -> tuple[Operation, ...]:
    """BT.2020 light to the output's gamut."""
    return () if target == BT2020 else (Matrix.of(rgb_to_rgb(BT2020, target, adaptation)),)
