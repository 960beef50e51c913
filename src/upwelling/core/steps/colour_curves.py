"""Colour curves: hue, saturation and brightness, each as a function of hue, of saturation and of brightness."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import model_validator

from upwelling.core.arrays import Float64
from upwelling.core.colour.primaries import Primaries
from upwelling.core.curves.spline import Points, Spline
from upwelling.core.operations import ColourShift, Operation
from upwelling.core.parameters import CurvePoints, curve, within
from upwelling.core.steps.base import Step
from upwelling.core.steps.selections.colour_range import oklab_rows

_CIRCLE = np.linspace(0, 360, 1441)
HUES, SATURATIONS, STOPS = (0.0, 360.0), (0.0, 0.8), (-8.0, 8.0)
STEEPEST_TURN = 0.99
"""Degrees by which the turn may fall over a degree of hue, as a hand is held; at 1 hues would pass one another."""
TURNS, GAINS, LIFTS = (-60.0, 60.0), (0.0, 3.0), (-3.0, 3.0)
_AROUND = (0.0, 60.0, 120.0, 180.0, 240.0, 300.0)
_DEGREES_OF_COLOUR = (0.0, 0.1, 0.2, 0.35, 0.6)
_TONES = (-6.0, -3.0, 0.0, 3.0, 6.0)


def _rest(places: tuple[float, ...], value: float) -> Points:
    return tuple((x, value) for x in places)


_CURVES = {
    "hue_by_hue": (HUES, TURNS),
    "saturation_by_hue": (HUES, GAINS),
    "brightness_by_hue": (HUES, LIFTS),
    "saturation_by_saturation": (SATURATIONS, GAINS),
    "saturation_by_brightness": (STOPS, GAINS),
    "hue_by_saturation": (SATURATIONS, TURNS),
    "hue_by_brightness": (STOPS, TURNS),
    "brightness_by_saturation": (SATURATIONS, LIFTS),
    "brightness_by_brightness": (STOPS, LIFTS),
}


class ColourCurves(Step):
    """Nine curves in one pass through Oklab, each judged on the light that reaches the step."""

    title: ClassVar[str] = "Colour curves"
    explanation: ClassVar[str] = (
        "Turns, strengthens or lifts colours by their hue, their saturation or their brightness."
    )
    source: ClassVar[str] = "Oklab: B. Ottosson 2020; the spline is Fritsch and Butland 1984"
    space: ClassVar[str] = "Oklab of scene light (hue-linear)"
    lights: ClassVar[tuple[str, ...]] = ("scene", "display")
    invertible: ClassVar[bool] = False
    neutral: ClassVar[str] = "keeps neutral"
    later: ClassVar[tuple[str, ...]] = (
        "hue_by_saturation",
        "hue_by_brightness",
        "brightness_by_saturation",
        "brightness_by_brightness",
    )

    kind: Literal["colour_curves"] = "colour_curves"
    hue_by_hue: CurvePoints = curve(
        _rest(_AROUND, 0.0),
        "Hue by hue",
        "Degrees by which each Oklab hue is turned.",
        x=HUES,
        y=TURNS,
        x_unit="° hue",
        y_unit="°",
        around=True,
        falls=STEEPEST_TURN,
    )
    saturation_by_hue: CurvePoints = curve(
        _rest(_AROUND, 1.0),
        "Saturation by hue",
        "Saturation of each hue, times this.",
        x=HUES,
        y=GAINS,
        x_unit="° hue",
        y_unit="×",
        around=True,
    )
    brightness_by_hue: CurvePoints = curve(
        _rest(_AROUND, 0.0),
        "Brightness by hue",
        "Stops by which each hue is lifted; fades out towards neutral.",
        x=HUES,
        y=LIFTS,
        x_unit="° hue",
        y_unit="stops",
        around=True,
    )
    saturation_by_saturation: CurvePoints = curve(
        _rest(_DEGREES_OF_COLOUR, 1.0),
        "Saturation by saturation",
        "Saturation, times this, by Oklab chroma over lightness.",
        x=SATURATIONS,
        y=GAINS,
        x_unit="C/L",
        y_unit="×",
    )
    saturation_by_brightness: CurvePoints = curve(
        _rest(_TONES, 1.0),
        "Saturation by brightness",
        "Saturation by brightness in stops from mid grey.",
        x=STOPS,
        y=GAINS,
        x_unit="stops",
        y_unit="×",
    )

    hue_by_saturation: CurvePoints = curve(
        _rest(_DEGREES_OF_COLOUR, 0.0),
        "Hue by saturation",
        "Degrees of turn, by how saturated a colour is.",
        x=SATURATIONS,
        y=TURNS,
        x_unit="C/L",
        y_unit="°",
    )
    hue_by_brightness: CurvePoints = curve(
        _rest(_TONES, 0.0),
        "Hue by brightness",
        "Degrees of turn, by brightness in stops from mid grey.",
        x=STOPS,
        y=TURNS,
        x_unit="stops",
        y_unit="°",
    )
    brightness_by_saturation: CurvePoints = curve(
        _rest(_DEGREES_OF_COLOUR, 0.0),
        "Brightness by saturation",
        "Stops of lift, by how saturated a colour is; 0 is neutral.",
        x=SATURATIONS,
        y=LIFTS,
        x_unit="C/L",
        y_unit="stops",
    )
    brightness_by_brightness: CurvePoints = curve(
        _rest(_TONES, 0.0),
        "Brightness by brightness",
        "Stops of lift, by stops from mid grey; hue and saturation stay.",
        x=STOPS,
        y=LIFTS,
        x_unit="stops",
        y_unit="stops",
    )

    @model_validator(mode="after")
    def _in_their_plots(self) -> ColourCurves:
        for name, (x, y) in _CURVES.items():
            points = getattr(self, name)
            title = str(type(self).model_fields[name].title)
            within(points, x, y, title)
            if x == HUES and points[-1][0] - points[0][0] >= 360:
                raise ValueError(f"{title}: 0° and 360° are the same hue; move one of the end points")
        points = self.hue_by_hue
        for (hue, turn), (after, next_turn) in zip(
            points, (*points[1:], (points[0][0] + 360, points[0][1])), strict=True
        ):
            if turn - next_turn >= after - hue:
                raise ValueError(
                    f"Hue by hue: between {hue:.0f}° and {after % 360:.0f}° hues would pass one another. "
                    "Turn these two less against each other"
                )
        return self

    @property
    def changes_nothing(self) -> bool:
        return all(
            y == (1.0 if box == GAINS else 0.0) for name, (_, box) in _CURVES.items() for _, y in getattr(self, name)
        )

    @property
    def folds(self) -> tuple[str, ...]:
        """Hues that pass one another: between its points the spline is up to half as steep again as they are."""
        back = np.flatnonzero(self.hue_slopes < 0)
        if not len(back):
            return ()
        return (f"hues pass one another between {_CIRCLE[back[0]]:.0f}° and {_CIRCLE[back[-1] + 1]:.0f}°",)

    @property
    def hue_slopes(self) -> Float64:
        """Degrees of hue out for one in, all round the circle: below 0 hues pass one another, near it they meet."""
        return np.asarray(1 + np.diff(self.curve_of("hue_by_hue")(_CIRCLE)) / np.diff(_CIRCLE))

    def curve_of(self, name: str) -> Spline:
        box, _ = _CURVES[name]
        return Spline(getattr(self, name), "around" if box == HUES else "hold")

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        hue, strength, lift, by_saturation, by_brightness, *others = (self.curve_of(name) for name in _CURVES)
        return (ColourShift(hue, strength, lift, by_saturation, by_brightness, oklab_rows(working), None, *others),)

    def values_text(self) -> str:
        fields = type(self).model_fields
        bent = [str(fields[name].title).lower() for name in _CURVES if getattr(self, name) != fields[name].default]
        return "Curves: " + (", ".join(bent) or "at rest")
