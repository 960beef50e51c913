"""A measured curve as a drawing: code against stops, its uncertainty as a band drawn twenty times as wide."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.characterise import CameraReport
from upwelling.core.colour.primaries import primaries, rgb_to_xyz
from upwelling.core.curves import CURVES
from upwelling.web.luts.plots import hex_colour

WIDTH, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 520, 270, 44, 12, 12, 40
LOW, HIGH, TIMES = -8, 8, 20


def drawn(report: CameraReport) -> dict[str, Any]:
    """Places in the drawing, ready for the template."""
    light = np.array(report.light)
    sigma = np.array([np.nan if value is None else value for value in report.sigma_stops])
    kept = (light > 0.18 * 2.0**LOW) & np.isfinite(sigma)
    stops, codes, wide = np.log2(light[kept] / 0.18), np.array(report.codes)[kept], TIMES * sigma[kept]
    x = LEFT + (stops - LOW) / (HIGH - LOW) * (WIDTH - LEFT - RIGHT)
    y = HEIGHT - BOTTOM - codes * (HEIGHT - TOP - BOTTOM)
    apart = wide / (HIGH - LOW) * (WIDTH - LEFT - RIGHT)
    band = [*zip(x - apart, y, strict=True), *reversed(list(zip(x + apart, y, strict=True)))]
    return {
        "line": _points(zip(x, y, strict=True)),
        "band": _points(band),
        "ticks": [
            {"x": round(LEFT + (k - LOW) / (HIGH - LOW) * (WIDTH - LEFT - RIGHT)), "label": f"{k:+d}".replace("-", "−")}
            for k in range(LOW, HIGH + 1, 2)
        ],
        "codes": [{"y": round(HEIGHT - BOTTOM - c * (HEIGHT - TOP - BOTTOM)), "label": f"{c:g}"} for c in (0, 0.5, 1)],
        "width": WIDTH,
        "height": HEIGHT,
        "left": LEFT,
        "right": WIDTH - RIGHT,
        "top": TOP,
        "bottom": HEIGHT - BOTTOM,
        "times": TIMES,
    }


def screen_colour(xyz: Any) -> str:
    """XYZ under D65 as #rrggbb of sRGB; what it does not reach is held."""
    light = np.linalg.inv(rgb_to_xyz(primaries("BT.709"))) @ np.asarray(xyz)
    return hex_colour(CURVES["sRGB"].from_linear(np.clip(light, 0, 1)))


def _points(places: Any) -> str:
    return " ".join(f"{x:.1f},{y:.1f}" for x, y in places)
