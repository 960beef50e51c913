"""Printing density log of film scans."""

from __future__ import annotations

import math

from upwelling.core.curves.base import Anchor
from upwelling.core.curves.camera_log import CameraLog

# Kodak, "Conversion of 10-bit Log Film Data to 8-bit Linear or Video Data" (1995): 0.002 density a code, 0.6 gamma
# (300 codes a decade of light), white at 685, black at 95; from memory, confirmed against colour-science 0.4.7.
_BLACK = 10 ** ((95 - 685) / 300)
_BREAK = (10 ** (-685 / 300) - _BLACK) / (1 - _BLACK)
_AT_BREAK = _BREAK * (1 - _BLACK) + _BLACK
_SLOPE = 300 / 1023 / math.log(10) * (1 - _BLACK) / _AT_BREAK
_CODE = (685 + 300 * math.log10(_AT_BREAK)) / 1023
PRINTING_DENSITY = CameraLog(
    name="Printing density",
    explanation="Film scan log: white at code 685, black at 95, 300 codes a decade of light. "
    "Below code 0 it goes on as a straight line (ours).",
    source="Kodak, Conversion of 10-bit Log Film Data to 8-bit Linear or Video Data, version 2.1 (1995)",
    anchors=(Anchor(0.0, 95), Anchor(1.0, 685)),
    log_slope=300 / 1023 * math.log10(2),
    log_offset=685 / 1023,
    linear_slope=1 - _BLACK,
    linear_offset=_BLACK,
    break_linear=_BREAK,
    break_code=_CODE,
    toe_slope=_SLOPE,
    toe_offset=_CODE - _SLOPE * _BREAK,
)
CURVES = (PRINTING_DENSITY,)
