"""L-Log."""

from __future__ import annotations

import math

from upwelling.core.curves.base import Anchor
from upwelling.core.curves.camera_log import CameraLog

# Leica, "L-Log Reference Manual" (2022); from memory, confirmed against colour-science 0.4.7.
L_LOG = CameraLog(
    name="L-Log",
    explanation="Camera log curve; black at code 92, mid grey at 445 of 1023.",
    source="Leica, L-Log Reference Manual, version 1.6 (2022)",
    anchors=(Anchor(0.18, 445),),
    log_slope=0.27 * math.log10(2),
    log_offset=0.6,
    linear_slope=1.3,
    linear_offset=0.0115,
    break_linear=math.nextafter(0.006, 1),
    break_code=math.nextafter(0.138, 1),  # the manual's line holds up to and with these
    toe_slope=8.0,
    toe_offset=0.09,
)
CURVES = (L_LOG,)
