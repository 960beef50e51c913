"""C-Log, C-Log2 and C-Log3: a logarithm mirrored about black."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from upwelling.core.arrays import Float
from upwelling.core.curves.base import Anchor, Declared

_SOURCE = "Canon, Canon Log Gamma Curves white paper, version 1.2 (2018 revision, code value form)"
# Constants from memory, confirmed against colour-science 0.4.7 (method "v1.2"). The paper counts 1.0 as 90 %
# reflectance.
_UNIT = 0.9


@dataclass(frozen=True)
class MirroredLog(Declared):
    """code = offset_above + log_slope·log2(1 + gain·x) above, its mirror image below, a line between the two breaks."""

    log_slope: float = field(default=1.0, kw_only=True)
    gain: float = field(default=1.0, kw_only=True)
    offset_above: float = field(default=0.0, kw_only=True)
    offset_below: float = field(default=0.0, kw_only=True)
    break_low: float = field(default=0.0, kw_only=True)
    break_high: float = field(default=0.0, kw_only=True)
    line_slope: float = field(default=1.0, kw_only=True)
    line_offset: float = field(default=0.0, kw_only=True)

    @property
    def code_breaks(self) -> tuple[float, float]:
        """The codes at the two breaks, by the logarithmic branches."""
        low = self.offset_below - self.log_slope * math.log2(1 - self.gain * self.break_low)
        return low, self.offset_above + self.log_slope * math.log2(1 + self.gain * self.break_high)

    def to_linear(self, code: Float) -> Any:
        code = np.asarray(code)
        low, high = self.code_breaks
        above = (np.exp2((np.maximum(code, high) - self.offset_above) / self.log_slope) - 1) / self.gain
        below = -(np.exp2((self.offset_below - np.minimum(code, low)) / self.log_slope) - 1) / self.gain
        return np.where(code < low, below, np.where(code > high, above, (code - self.line_offset) / self.line_slope))

    def from_linear(self, linear: Float) -> Any:
        linear = np.asarray(linear)
        above = self.log_slope * np.log2(1 + self.gain * np.maximum(linear, 0)) + self.offset_above
        below = self.offset_below - self.log_slope * np.log2(1 - self.gain * np.minimum(linear, 0))
        line = self.line_slope * linear + self.line_offset
        return np.where(linear < self.break_low, below, np.where(linear > self.break_high, above, line))


def _two_branches(
    name: str, explanation: str, anchors: tuple[Anchor, ...], slope: float, gain: float, black: float
) -> MirroredLog:
    """A curve whose two logarithms meet at black, where the line is never used but must not divide by zero."""
    return MirroredLog(
        name=name,
        explanation=explanation,
        source=_SOURCE,
        anchors=anchors,
        log_slope=slope * math.log10(2),
        gain=gain / _UNIT,
        offset_above=black,
        offset_below=black,
        line_slope=slope / math.log(10) * gain / _UNIT,
        line_offset=black,
    )


C_LOG = _two_branches(
    "C-Log",
    "Camera log curve of modest range; black at code 128, mid grey at 351 of 1023.",
    (Anchor(0.0, 128), Anchor(0.18, 351), Anchor(0.90, 614)),
    0.45310179,
    10.1596,
    0.12512248,
)
C_LOG2 = _two_branches(
    "C-Log2",
    "Camera log curve of wide range; black at code 95, mid grey at 407 of 1023.",
    (Anchor(0.0, 95),),
    0.24136077,
    87.09937546,
    0.092864125,
)
C_LOG3 = MirroredLog(
    name="C-Log3",
    explanation="Camera log curve with a straight part about black; black at 128, mid grey at 351 of 1023.",
    source=_SOURCE,
    anchors=(Anchor(0.0, 128), Anchor(0.18, 351), Anchor(0.90, 577)),
    log_slope=0.36726845 * math.log10(2),
    gain=14.98325 / _UNIT,
    offset_above=0.12240537,
    offset_below=0.12783901,
    break_low=-0.014 * _UNIT,
    break_high=0.014 * _UNIT,
    line_slope=1.9754798 / _UNIT,
    line_offset=0.12512219,
)
CURVES = (C_LOG, C_LOG2, C_LOG3)
