"""ACEScct and ACEScc, the logarithmic working encodings."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import Float
from upwelling.core.curves.base import Anchor, Declared
from upwelling.core.curves.camera_log import CameraLog

# Academy S-2016-001, equations 1 and 2.
ACESCCT = CameraLog(
    name="ACEScct",
    explanation="Working log curve with a straight toe; 0.05707 of code is one stop.",
    source="Academy S-2016-001, ACEScct",
    anchors=(Anchor(0.0, 0.0729055341958355 * 1023), Anchor(0.18, 0.413588402492442 * 1023)),
    log_slope=1 / 17.52,
    log_offset=9.72 / 17.52,
    linear_slope=1.0,
    linear_offset=0.0,
    break_linear=0.0078125,
    break_code=0.155251141552511,
    toe_slope=10.5402377416545,
    toe_offset=0.0729055341958355,
)


@dataclass(frozen=True)
class PureLog(Declared):
    """ACEScc, Academy S-2014-003 section 4.4: logarithmic down to 2⁻¹⁶, where it ends; light below 0 is not held."""

    LOWEST_CODE = (np.log2(2.0**-16) + 9.72) / 17.52
    HIGHEST_CODE = (np.log2(65504.0) + 9.72) / 17.52
    BREAK_CODE = (9.72 - 15) / 17.52

    def to_linear(self, code: Float) -> Any:
        code = np.asarray(code)
        held = np.exp2(np.minimum(code, self.HIGHEST_CODE) * 17.52 - 9.72)
        return np.where(
            code <= self.BREAK_CODE, (held - 2.0**-16) * 2, np.where(code >= self.HIGHEST_CODE, 65504.0, held)
        )

    def from_linear(self, linear: Float) -> Any:
        linear = np.maximum(np.asarray(linear), 0.0)
        light = np.where(linear < 2.0**-15, 2.0**-16 + linear * 0.5, linear)
        return (np.log2(light) + 9.72) / 17.52


ACESCC = PureLog(
    name="ACEScc",
    explanation="Working log curve without a toe: negative light cannot be held and becomes the lowest code.",
    source="Academy S-2014-003, ACEScc",
    anchors=(Anchor(0.0, float(PureLog.LOWEST_CODE) * 1023), Anchor(0.18, 0.413588402492442 * 1023)),
)
CURVES = (ACESCCT, ACESCC)
