"""Protune: a logarithm from black on."""

from __future__ import annotations

import math

from upwelling.core.curves.camera_log import CameraLog

_GAIN = 112.0
PROTUNE = CameraLog(
    name="Protune",
    explanation="Action camera curve without a toe; black at code 0, mid grey at 660 of 1023.",
    source="GoPro, Protune log curve, as colour-science 0.4.7 has it; below black its tangent, which is ours",
    log_slope=1 / math.log2(_GAIN + 1),
    linear_slope=_GAIN,
    linear_offset=1.0,
    toe_slope=_GAIN / math.log(_GAIN + 1),
)
CURVES = (PROTUNE,)
