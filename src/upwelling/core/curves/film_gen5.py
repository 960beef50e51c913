"""Film Gen 5: a natural logarithm above a straight toe."""

from __future__ import annotations

import math

from upwelling.core.curves.camera_log import CameraLog

# Constants from memory, confirmed against colour-science 0.4.7.
_A, _B, _C, _TOE, _BLACK, _CUT = (
    0.08692876065491224, 0.005494072432257808, 0.5300133392291939, 8.283605932402494, 0.09246575342465753, 0.005,
)  # fmt: skip
FILM_GEN5 = CameraLog(
    name="Film Gen 5",
    explanation="Camera log curve; black at code 94.6, mid grey at 392.4 of 1023.",
    source="Blackmagic Design, Generation 5 Color Science white paper (2021)",
    log_slope=_A * math.log(2),
    log_offset=_C,
    linear_offset=_B,
    break_linear=_CUT,
    break_code=_A * math.log(_CUT + _B) + _C,
    toe_slope=_TOE,
    toe_offset=_BLACK,
)
CURVES = (FILM_GEN5,)
