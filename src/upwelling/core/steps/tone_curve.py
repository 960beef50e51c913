"""Tone curve: master and per-channel curves in the working log space."""

from __future__ import annotations

import itertools
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import model_validator

from upwelling.core.arrays import MID_GREY
from upwelling.core.colour.primaries import Primaries
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.curves.spline import Spline
from upwelling.core.operations import ChannelCurves, Decode, Encode, Operation
from upwelling.core.parameters import CurvePoints, curve, within
from upwelling.core.steps.base import Step

SPAN = (0.0, 1.0)
GREY = round(float(ACESCCT.from_linear(np.array(MID_GREY))), 4)
WHITE = round(float(ACESCCT.from_linear(np.array(1.0))), 4)
REST = tuple((x, x) for x in (0.1, 0.25, GREY, WHITE, 0.75))
CHANNELS = ("master", "red", "green", "blue")


def _channel(title: str) -> Any:
    return curve(
        REST,
        title,
        "Log code out by log code in: mid grey 0.414, white 0.555, a stop 0.057.",
        x=SPAN,
        y=SPAN,
        x_unit="log code",
        y_unit="log code",
        identity=True,
        falls=0.0,
    )


class ToneCurve(Step):
    """The master curve, then each channel's own. Beyond its first and last point a curve goes on straight."""

    title: ClassVar[str] = "Tone curve"
    explanation: ClassVar[str] = "Log code out against log code in, for the three channels together and each alone."
    source: ClassVar[str] = "Fritsch and Butland 1984 (monotone spline); Academy S-2016-001 (log curve)"
    space: ClassVar[str] = "working log (ACEScct curve)"
    lights: ClassVar[tuple[str, ...]] = ("scene", "display")
    neutral: ClassVar[str] = "keeps neutral while the three channels' own curves are equal"

    kind: Literal["tone_curve"] = "tone_curve"
    master: CurvePoints = _channel("Master")
    red: CurvePoints = _channel("Red")
    green: CurvePoints = _channel("Green")
    blue: CurvePoints = _channel("Blue")

    @model_validator(mode="after")
    def _never_falls(self) -> ToneCurve:
        for name in CHANNELS:
            points = getattr(self, name)
            within(points, SPAN, SPAN, f"The {name} curve")
            for (x, y), (after, next_y) in itertools.pairwise(points):
                if next_y < y:
                    raise ValueError(
                        f"The {name} curve falls from {y:.3f} to {next_y:.3f} between {x:.3f} and {after:.3f}: "
                        f"tones would fold over. Keep each point at least as high as the one before it"
                    )
        return self

    @property
    def changes_nothing(self) -> bool:
        return all(x == y for name in CHANNELS for x, y in getattr(self, name))

    @property
    def invertible(self) -> bool:  # type: ignore[override]
        return all(
            y < after
            for name in CHANNELS
            for (_, y), (_, after) in zip(getattr(self, name), getattr(self, name)[1:], strict=False)
        )

    def curve_of(self, name: str) -> Spline:
        if name not in CHANNELS:
            raise KeyError(name)
        return Spline(getattr(self, name), "extend")

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        master = self.curve_of("master")
        r, g, b = ((master, self.curve_of(name)) for name in CHANNELS[1:])
        return (Encode(ACESCCT), ChannelCurves((r, g, b)), Decode(ACESCCT))

    def values_text(self) -> str:
        bent = [name for name in CHANNELS if any(x != y for x, y in getattr(self, name))]
        return "Tone curve " + (", ".join(bent) or "at rest")
