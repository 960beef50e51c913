"""S-Log3."""

from __future__ import annotations

import math

from upwelling.core.curves.base import Anchor
from upwelling.core.curves.camera_log import CameraLog

# Sony, "Technical Summary for S-Gamut3.Cine/S-Log3 and S-Gamut3/S-Log3" (2014), appendix: codes are 10 bit, full range.
S_LOG3 = CameraLog(
    name="S-Log3",
    explanation="Camera log curve; black at code 95, mid grey at 420 of 1023.",
    source="Sony, Technical Summary for S-Gamut3.Cine/S-Log3 and S-Gamut3/S-Log3 (2014)",
    anchors=(Anchor(0.0, 95), Anchor(0.18, 420), Anchor(0.90, 598)),
    log_slope=261.5 / 1023 * math.log10(2),
    log_offset=420 / 1023,
    linear_slope=1 / 0.19,
    linear_offset=0.01 / 0.19,
    break_linear=0.01125,
    break_code=171.2102946929 / 1023,
    toe_slope=(171.2102946929 - 95) / 0.01125 / 1023,
    toe_offset=95 / 1023,
)
CURVES = (S_LOG3,)
