"""The rendering's tone curve for an SVG: display light in cd/m² and stops against scene stops, its slope, and handles
to drag it by.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.arrays import MID_GREY, STOP
from upwelling.core.path import Path
from upwelling.core.rendering import Film, Rise

WIDTH, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 420.0, 150.0, 40.0, 34.0, 8.0, 18.0
LOW, HIGH = -8.0, 9.0
DOWN, DENSEST = 10.0, 4
"""Stops below the display's peak that the plot shows; film is read down to a density."""
STEEPEST = 2.0
TOE_AT = -5.0
TOE_A_STOP = 0.4
"""Toe units for each stop a hand moves its handle down."""


def tone_points(path: Path) -> dict[str, Any]:
    """Polyline points of the curve and its slope, ticks, marks, and handles (which parameter a drag across or up
    changes, and by how much).
    """
    method, target = path.rendering.method, path.target
    film = isinstance(method, Film)
    down = DENSEST / STOP if film else DOWN
    stops = np.linspace(LOW, HIGH, 171)
    light = method.neutral(stops, path.working_primaries, target)
    out = np.log2(np.maximum(light, 1e-9))
    slope = np.gradient(out, stops[1] - stops[0])
    grey = float(np.log2(target.mid_grey))
    white, peak = float(np.log2(1 / MID_GREY)), min(method.peak_stops(target), HIGH)
    nits = [v for v in (0.1, 1.0, 10.0, 100.0, 1000.0, 10000.0) if -down <= np.log2(v / target.peak_nits) < -0.7]
    marks = [(0.0, "mid grey", "end"), (white, "white", "start"), (peak, "peak", "end")]
    return {
        "points": _line(stops, _y(out, down)),
        "slope": _line(stops, _slope_y(slope)),
        "marks": [{"x": round(_x(s), 1), "label": label, "anchor": anchor} for s, label, anchor in marks],
        "nits": [
            {"y": round(_y(np.log2(v / target.peak_nits), down), 1), "label": f"{v:g}"}
            for v in (*nits, target.peak_nits)
        ],
        "side": "density" if film else "stops",
        "side_ticks": _densities(down) if film else _stops(grey),
        "slopes": [{"y": round(_slope_y(v), 1), "label": f"{v:g}"} for v in (0.0, 1.0)],
        "handles": _handles(method, target, peak),
        "x0": round(_x(LOW), 1),
        "x1": round(_x(HIGH), 1),
        "bottom": HEIGHT - BOTTOM,
        "unit": round((WIDTH - LEFT - RIGHT) / (HIGH - LOW), 3),
        "low": LOW,
    }


def _stops(grey: float) -> list[dict[str, Any]]:
    """Stops of display light from where mid grey is shown."""
    return [
        {"y": round(_y(grey + s, DOWN), 1), "label": f"{s:+d}".replace("-", "−") if s else "0"}
        for s in range(-8, 9, 2)
        if -DOWN < grey + s <= -0.1
    ]


def _densities(down: float) -> list[dict[str, Any]]:
    """Density over white, −log₁₀ of light over the peak: film is read as density against log exposure."""
    return [{"y": round(_y(-d / STOP, down), 1), "label": str(d)} for d in range(1, DENSEST + 1)]


def _handles(method: Any, target: Any, peak: float) -> list[dict[str, Any]]:
    """Handles on what the method has: toe (up and down), shoulder and peak (across)."""
    found: list[dict[str, Any]] = []
    if isinstance(method, Rise):
        curve = method.curve(target)
        for path, title, stops, axis in (("toe", "Toe", TOE_AT, "y"), ("shoulder", "Shoulder", method.shoulder, "x")):
            found.append(_handle(path, title, stops, float(curve.log2_display(stops)), axis, method))
        found[0]["a_unit"] = -TOE_A_STOP * DOWN / (HEIGHT - TOP - BOTTOM)
    for name in ("scene_peak", "source_nits"):
        if name in type(method).model_fields:
            found.append({**_handle(name, "Peak", peak, 0.0, "x", method), "doubles": True})
    return found


def _handle(name: str, title: str, stops: float, out: float, axis: str, method: Any) -> dict[str, Any]:
    extra: Any = type(method).model_fields[name].json_schema_extra
    return {
        "path": f"rendering.{name}",
        "title": title,
        "x": round(_x(stops), 1),
        "y": round(_y(out, DOWN), 1),
        "axis": axis,
        "doubles": False,
        "a_unit": (HIGH - LOW) / (WIDTH - LEFT - RIGHT),
        "low": extra["low"],
        "high": extra["high"],
    }


def _line(stops: Any, places: Any) -> str:
    return " ".join(f"{x:.1f},{y:.1f}" for x, y in zip(_x(stops).tolist(), places.tolist(), strict=True))


def _x(stops: Any) -> Any:
    return LEFT + (stops - LOW) / (HIGH - LOW) * (WIDTH - LEFT - RIGHT)


def _y(out: Any, down: float) -> Any:
    """Place of display light in stops below the peak, of so many shown."""
    return TOP + np.clip(-out, 0.0, down) / down * (HEIGHT - TOP - BOTTOM)


def _slope_y(slope: Any) -> Any:
    """Place of a slope: the lower third of the plot holds 0 to 2 stops a stop."""
    return HEIGHT - BOTTOM - np.clip(slope, 0.0, STEEPEST) / STEEPEST * (HEIGHT - TOP - BOTTOM) / 3
