"""A curve's plot: its line, how often each place of its axis occurs in the picture, and where the traced pixel is."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.arrays import Float32
from upwelling.core.colour.primaries import Primaries
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.operations.colour import polar
from upwelling.core.scopes.facts import STOP_BINS, STOP_HIGH, STOP_LOW
from upwelling.core.steps import ColourCurves, Ladder, Step, ToneCurve, ZoneBalance
from upwelling.core.steps.colour_curves import HUES, SATURATIONS
from upwelling.core.steps.selections.colour_range import oklab_rows
from upwelling.core.steps.tone_curve import SPAN
from upwelling.web.footage.frames import Frame

BINS = 90
LEAST_SATURATION = 0.02
"""C/L below which a pixel is counted by no hue: it has none to speak of."""
UNITS = ("° hue", "C/L", "stops")


def has_curve(kind: type[Step], name: str) -> bool:
    """Whether a parameter of a kind of step is a curve."""
    extra: Any = kind.model_fields[name].json_schema_extra if name in kind.model_fields else None
    return bool(extra) and "curve" in extra


def curve_line_of(step: Step, name: str) -> dict[str, Any]:
    """Places along a curve of a step, and the curve there."""
    plot: Any = type(step).model_fields[name].json_schema_extra
    low, high = plot["curve"]["x"]
    xs = np.linspace(low, high, 161)
    return {"curve": name, "xs": xs.round(5).tolist(), "ys": step.curve_of(name)(xs).round(5).tolist()}


def curve_ground(
    step: Step, before: Float32, stops: list[int], pixel: Float32 | None, working: Primaries
) -> dict[str, Any] | None:
    """By the unit of an axis: its lowest place, the width of a bin, counts, and the traced pixel's place (or none).

    ``before`` (H, W, 3) is scene light that reaches the step, ``stops`` its counts by stops, ``pixel`` (3,) the traced
    one. None for a step that has no curve over such an axis.
    """
    by_stops: dict[str, Any] = {"low": STOP_LOW, "width": (STOP_HIGH - STOP_LOW) / STOP_BINS, "counts": stops}
    if isinstance(step, Ladder | ZoneBalance):
        return {"stops": {**by_stops, "pixel": None}}
    if isinstance(step, ToneCurve):
        code = ACESCCT.from_linear(before.reshape(-1, 3).astype(np.float64))
        own = None if pixel is None else float(ACESCCT.from_linear(pixel.astype(np.float64)).mean())
        return {"log code": {**_counted(code, SPAN), "pixel": own}}
    if not isinstance(step, ColourCurves):
        return None
    matrix = np.array(oklab_rows(working))
    _, hue, saturation, _ = polar(before.reshape(-1, 3).astype(np.float64), matrix)
    found = {
        "° hue": _counted(hue[saturation > LEAST_SATURATION], HUES),
        "C/L": _counted(saturation, SATURATIONS),
        "stops": by_stops,
    }
    places: tuple[float | None, ...] = (None, None, None)
    if pixel is not None:
        _, h, s, t = (float(np.ravel(part)[0]) for part in polar(pixel.astype(np.float64), matrix))
        places = (h if s > LEAST_SATURATION else None, s, t)
    return {unit: {**found[unit], "pixel": place} for unit, place in zip(UNITS, places, strict=True)}


def _counted(values: Any, span: tuple[float, float]) -> dict[str, Any]:
    counts, _ = np.histogram(values, BINS, span)
    return {"low": span[0], "width": (span[1] - span[0]) / BINS, "counts": counts.tolist()}


def traced(light: Float32, frame: Frame, point: tuple[int, int] | None) -> Float32 | None:
    """The pixel of a working frame's light (H, W, 3) that a place of the full frame falls in."""
    if point is None:
        return None
    x, y = (min(max(at // frame.factor, 0), most - 1) for at, most in zip(point, light.shape[1::-1], strict=True))
    pixel: Float32 = light[y, x]
    return pixel
