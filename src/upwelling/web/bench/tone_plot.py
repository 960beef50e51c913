"""The rendering's tone curve as points for an SVG: display code against stops from mid grey."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.path import Path

WIDTH, HEIGHT = 300, 112
LOW, HIGH = -8.0, 9.0


def tone_points(path: Path) -> dict[str, Any]:
    """Polyline points, and the places of mid grey, diffuse white and scene peak."""
    curve = path.rendering.method.curve(path.target)
    stops = np.linspace(LOW, HIGH, 121)
    signal = path.target.to_code(np.exp2(curve.log2_display(stops)))
    white = float(np.log2(1 / 0.18))
    return {
        "points": " ".join(f"{_x(s):.1f},{_y(v):.1f}" for s, v in zip(stops, signal, strict=True)),
        "marks": [{"x": round(_x(s), 1), "label": label, "anchor": anchor} for s, label, anchor in
                  ((0.0, "mid grey", "end"), (white, "white", "start"), (min(curve.peak_stops, HIGH), "peak", "end"))],
    }


def _x(stops: float) -> float:
    return 6 + (stops - LOW) / (HIGH - LOW) * (WIDTH - 12)


def _y(signal: float) -> float:
    return HEIGHT - 18 - signal * (HEIGHT - 28)
