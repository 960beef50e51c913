"""A camera measured: from pictures of a chart and of greys to its curve, its colour, and how sure both are."""

from __future__ import annotations

from upwelling.core.characterise.measure import ALL, Measured, measure, sensitivities_from
from upwelling.core.characterise.pictures import TARGETS, Picture, picture_of
from upwelling.core.characterise.report import CameraReport, report_of
from upwelling.core.characterise.verdict import Verdict, judged

__all__ = [
    "ALL",
    "TARGETS",
    "CameraReport",
    "Measured",
    "Picture",
    "Verdict",
    "judged",
    "measure",
    "picture_of",
    "report_of",
    "sensitivities_from",
]
