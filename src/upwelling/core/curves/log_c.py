"""LogC3, one curve per exposure index, and LogC4."""

from __future__ import annotations

import math

from upwelling.core.curves.base import Anchor
from upwelling.core.curves.camera_log import CameraLog

# ARRI, "ALEXA Log C Curve: Usage in VFX" (2017), table "linear scene exposure factor", firmware SUP 3.x.
# From memory, confirmed against the table carried by colour-science 0.4.7.  EI: cut, a, b, c, d, e, f
_TABLE = {
    160: (0.005561, 5.555556, 0.080216, 0.269036, 0.381991, 5.842037, 0.092778),
    200: (0.006208, 5.555556, 0.076621, 0.266007, 0.382478, 5.776265, 0.092782),
    250: (0.006871, 5.555556, 0.072941, 0.262978, 0.382966, 5.710494, 0.092786),
    320: (0.007622, 5.555556, 0.068768, 0.259627, 0.383508, 5.637732, 0.092791),
    400: (0.008318, 5.555556, 0.064901, 0.256598, 0.383999, 5.571960, 0.092795),
    500: (0.009031, 5.555556, 0.060939, 0.253569, 0.384493, 5.506188, 0.092800),
    640: (0.009840, 5.555556, 0.056443, 0.250219, 0.385040, 5.433426, 0.092805),
    800: (0.010591, 5.555556, 0.052272, 0.247190, 0.385537, 5.367655, 0.092809),
    1000: (0.011361, 5.555556, 0.047996, 0.244161, 0.386036, 5.301883, 0.092814),
    1280: (0.012235, 5.555556, 0.043137, 0.240810, 0.386590, 5.229121, 0.092819),
    1600: (0.013047, 5.555556, 0.038625, 0.237781, 0.387093, 5.163350, 0.092824),
}
EXPOSURE_INDICES = tuple(_TABLE)


def log_c3(exposure_index: int) -> CameraLog:
    """The LogC3 curve of one exposure index (160…1600); KeyError for an index that was not published."""
    cut, a, b, c, d, e, f = _TABLE[exposure_index]
    return CameraLog(
        name=f"LogC3 EI {exposure_index}",
        explanation=f"Camera log curve at exposure index {exposure_index}; its shape changes with the index.",
        source="ARRI, ALEXA Log C Curve: Usage in VFX (2017), SUP 3.x, linear scene exposure factor",
        # 18 % is the white paper's own anchor for EI 800 (code 400 of 1023); 0 and 90 % follow from its formula.
        anchors=(Anchor(0.0, 95), Anchor(0.18, 400), Anchor(0.90, 572)) if exposure_index == 800 else (),
        log_slope=c * math.log10(2),
        log_offset=d,
        linear_slope=a,
        linear_offset=b,
        break_linear=cut,
        break_code=e * cut + f,
        toe_slope=e,
        toe_offset=f,
    )


# ARRI, "ARRI LogC4 Specification" (2022), section 3; from memory, confirmed against colour-science 0.4.7.
_A, _B, _C = (2**18 - 16) / 117.45, (1023 - 95) / 1023, 95 / 1023
_S = 7 * math.log(2) * 2 ** (7 - 14 * _C / _B) / (_A * _B)
_T = (2 ** (14 * (-_C / _B) + 6) - 64) / _A
LOG_C4 = CameraLog(
    name="LogC4",
    explanation="Camera log curve of 16-bit scene light, the same at every exposure index; mid grey at code 285 "
    "of 1023.",
    source="ARRI, ARRI LogC4 Specification (2022)",
    anchors=(Anchor(0.0, 95), Anchor(0.18, 285)),
    log_slope=_B / 14,
    log_offset=_C - 6 / 14 * _B,
    linear_slope=_A,
    linear_offset=64.0,
    break_linear=_T,
    break_code=0.0,
    toe_slope=1 / _S,
    toe_offset=-_T / _S,
)
CURVES = (*(log_c3(index) for index in EXPOSURE_INDICES), LOG_C4)
