"""An encoding's curve as an SVG drawing: code against scene stops."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.encodings import Encoding

WIDTH, HEIGHT = 520, 300
LEFT, RIGHT, TOP, BOTTOM = 52, 12, 12, 34
LOW, HIGH = -10, 9


@dataclass(frozen=True)
class Plot:
    """Places in the drawing, ready for the template."""

    points: str
    stops: list[dict[str, Any]]
    codes: list[dict[str, Any]]
    anchors: list[dict[str, Any]]
    width: int = WIDTH
    height: int = HEIGHT
    left: int = LEFT
    right: int = WIDTH - RIGHT
    top: int = TOP
    bottom: int = HEIGHT - BOTTOM


def _x(stops: float) -> float:
    return LEFT + (stops - LOW) / (HIGH - LOW) * (WIDTH - LEFT - RIGHT)


def _y(code: float) -> float:
    return HEIGHT - BOTTOM - code * (HEIGHT - TOP - BOTTOM)


def plot(encoding: Encoding) -> Plot:
    """The curve between −10 and +9 stops from mid grey, as far as the code stays within 0…1.02."""
    stops = np.linspace(LOW, HIGH, 191)
    codes = encoding.neutral_from_linear(0.18 * np.exp2(stops))
    inside = (codes >= 0) & (codes <= 1.02)
    marks = []
    for reflectance, label in ((0.18, "18 %"), (0.90, "90 %")):
        code = encoding.code_of(reflectance)
        marks.append(
            {
                "x": round(_x(float(np.log2(reflectance / 0.18))), 1),
                "y": round(_y(code), 1),
                "label": f"{label}: {code * 1023:.1f}",
            }
        )
    return Plot(
        points=" ".join(f"{_x(s):.1f},{_y(c):.1f}" for s, c in zip(stops[inside], codes[inside], strict=True)),
        stops=[{"x": round(_x(s), 1), "label": f"{s:+d}".replace("-", "−") if s else "0"} for s in range(-10, 10, 2)],
        codes=[{"y": round(_y(c / 1023), 1), "label": str(c)} for c in (0, 256, 512, 768, 1023)],
        anchors=marks,
    )
