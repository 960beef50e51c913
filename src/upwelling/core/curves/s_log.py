"""S-Log, S-Log2 and S-Log3."""

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
_LEGAL, _BLACK = 876 / 1023, 64 / 1023


def _first_form(name: str, explanation: str, source: str, anchors: tuple[Anchor, ...], scale: float) -> CameraLog:
    """S-Log of light times ``scale``, in legal codes whose reserve is part of the full-range code here (64 + 876·y)."""
    return CameraLog(
        name=name,
        explanation=explanation,
        source=source,
        anchors=anchors,
        log_slope=0.432699 * math.log10(2) * _LEGAL,
        log_offset=0.646596 * _LEGAL + _BLACK,
        linear_slope=scale,
        linear_offset=0.037584,
        break_linear=0.0,
        break_code=(0.432699 * math.log10(0.037584) + 0.646596) * _LEGAL + _BLACK,
        toe_slope=5 * scale * _LEGAL,
        toe_offset=0.030001222851889303 * _LEGAL + _BLACK,
    )


# From memory, confirmed against colour-science 0.4.7; 1.0 is 90 % in both papers. The first: Sony, "S-Log: A new LUT
# for digital production mastering and interchange applications" (2009).
S_LOG = _first_form(
    "S-Log",
    "The first camera log curve of its family; black at code 90, mid grey at 394 of 1023.",
    "Sony, S-Log Technical Paper (2009)",
    (Anchor(0.0, 90), Anchor(0.18, 394), Anchor(0.90, 636)),
    1 / 0.9,
)
S_LOG2 = _first_form(
    "S-Log2",
    "Camera log curve; black at code 90, mid grey at 347 of 1023.",
    "Sony, S-Log2 Technical Paper (2012)",
    (Anchor(0.0, 90), Anchor(0.18, 347), Anchor(0.90, 582)),
    155 / 219 / 0.9,
)
CURVES = (S_LOG3, S_LOG2, S_LOG)
