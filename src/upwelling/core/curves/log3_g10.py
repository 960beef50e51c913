"""Log3G10."""

from __future__ import annotations

import math

from upwelling.core.curves.base import Anchor
from upwelling.core.curves.camera_log import CameraLog

# RED, "White Paper on REDWideGamutRGB and Log3G10" (2017), revision with the straight toe: a 0.224282, b 155.975327,
# c 0.01, g 15.1927; from memory, confirmed against colour-science 0.4.7 (method "v3").
LOG3G10 = CameraLog(
    name="Log3G10",
    explanation="Log curve that puts mid grey at a third of the code and ten stops more above it.",
    source="RED, White Paper on REDWideGamutRGB and Log3G10 (2017)",
    anchors=(Anchor(0.18, 1023 / 3),),
    log_slope=0.224282 * math.log10(2),
    log_offset=0.0,
    linear_slope=155.975327,
    linear_offset=155.975327 * 0.01 + 1,
    break_linear=-0.01,
    break_code=0.0,
    toe_slope=15.1927,
    toe_offset=15.1927 * 0.01,
)
CURVES = (LOG3G10,)
