"""D-Log."""

from __future__ import annotations

import math

from upwelling.core.curves.base import Anchor
from upwelling.core.curves.camera_log import CameraLog

# DJI, "White Paper on D-Log and D-Gamut of DJI Cinema Color System" (2017); from memory, confirmed against
# colour-science 0.4.7. The paper's decoding repeats these constants rounded to six digits (within 2e-5 of light).
D_LOG = CameraLog(
    name="D-Log",
    explanation="Log curve of gimbal and flying cameras; black at code 95, mid grey at 408 of 1023.",
    source="DJI, White Paper on D-Log and D-Gamut of DJI Cinema Color System (2017)",
    anchors=(Anchor(0.0, 95), Anchor(0.18, 408), Anchor(0.90, 586)),
    log_slope=0.256663 * math.log10(2),
    log_offset=0.584555,
    linear_slope=0.9892,
    linear_offset=0.0108,
    break_linear=0.0078,
    break_code=0.14,
    toe_slope=6.025,
    toe_offset=0.0929,
)
CURVES = (D_LOG,)
