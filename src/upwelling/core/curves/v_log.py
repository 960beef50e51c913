"""V-Log."""

from __future__ import annotations

import math

from upwelling.core.curves.base import Anchor
from upwelling.core.curves.camera_log import CameraLog

# Panasonic, "V-Log/V-Gamut Reference Manual" (2014): cut1 0.01, cut2 0.181, b 0.00873, c 0.241514, d 0.598206.
V_LOG = CameraLog(
    name="V-Log",
    explanation="Camera log curve; black at code 128, mid grey at 433 of 1023.",
    source="Panasonic, V-Log/V-Gamut Reference Manual, rev. 1.0 (2014)",
    anchors=(Anchor(0.0, 128), Anchor(0.18, 433), Anchor(0.90, 602)),
    log_slope=0.241514 * math.log10(2),
    log_offset=0.598206,
    linear_slope=1.0,
    linear_offset=0.00873,
    break_linear=0.01,
    break_code=0.181,
    toe_slope=5.6,
    toe_offset=0.125,
)
CURVES = (V_LOG,)
