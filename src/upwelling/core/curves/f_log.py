"""F-Log and F-Log2."""

from __future__ import annotations

import math

from upwelling.core.curves.base import Anchor
from upwelling.core.curves.camera_log import CameraLog


def _f_log(
    name: str,
    explanation: str,
    source: str,
    anchors: tuple[Anchor, ...],
    cut1: float,
    cut2: float,
    a: float,
    b: float,
    c: float,
    d: float,
    e: float,
    f: float,
) -> CameraLog:
    """code = c·log10(a·x + b) + d above cut1, e·x + f below; letters as in the data sheets."""
    return CameraLog(
        name=name,
        explanation=explanation,
        source=source,
        anchors=anchors,
        log_slope=c * math.log10(2),
        log_offset=d,
        linear_slope=a,
        linear_offset=b,
        break_linear=cut1,
        break_code=cut2,
        toe_slope=e,
        toe_offset=f,
    )


# Constants from memory, confirmed against colour-science 0.4.7.
F_LOG = _f_log(
    "F-Log",
    "Camera log curve; black at code 95, mid grey at 470 of 1023.",
    "Fujifilm, F-Log Data Sheet, version 1.1 (2022)",
    (Anchor(0.0, 95), Anchor(0.18, 470), Anchor(0.90, 705)),
    0.00089,
    0.100537775223865,
    0.555556,
    0.009468,
    0.344676,
    0.790453,
    8.735631,
    0.092864,
)
F_LOG2 = _f_log(
    "F-Log2",
    "Camera log curve of wider range; black at code 95, mid grey at 400 of 1023.",
    "Fujifilm, F-Log2 Data Sheet, version 1.0 (2022)",
    (Anchor(0.0, 95), Anchor(0.18, 400), Anchor(0.90, 570)),
    0.000889,
    0.100686685370811,
    5.555556,
    0.064829,
    0.245281,
    0.384316,
    8.799461,
    0.092864,
)
CURVES = (F_LOG, F_LOG2)
