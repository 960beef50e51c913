"""Pictures of a table: curves, slices and the cube's points, as numbers for SVG and canvas."""

from __future__ import annotations

import base64
from typing import Any

import numpy as np

from upwelling.core.lut import Lut
from upwelling.core.media.png import encode as png_bytes
from upwelling.core.tables.facts import CURVE_POINTS, LutFacts, domain_of, grid

WIDTH, HEIGHT, LEFT, BOTTOM, TOP, RIGHT = 420, 236, 34, 22, 8, 20
CUBE_POINTS = 9
SLICE = 96
UNSEEN = 128
"""Grey of the stripes over what a recovered table never saw."""


def _x(share: float) -> float:
    return round(LEFT + share * (WIDTH - LEFT - RIGHT), 1)


def curves_plot(facts: LutFacts, other: LutFacts | None = None) -> dict[str, Any]:
    """Output code against input code: neutral's three channels, and each channel driven alone; a second table's neutral
    beside.
    """
    shown = [facts.curves[0][:, c] for c in range(3)] + [facts.curves[1 + c][:, c] for c in range(3)]
    rest = [other.curves[0][:, c] for c in range(3)] if other else []
    low = min(0.0, *(float(v.min()) for v in (*shown, *rest)))
    high = max(1.0, *(float(v.max()) for v in (*shown, *rest)))

    def y(value: float) -> float:
        return round(HEIGHT - BOTTOM - (value - low) / (high - low) * (HEIGHT - BOTTOM - TOP), 1)

    def points(values: Any) -> str:
        return " ".join(f"{_x(k / (CURVE_POINTS - 1))},{y(float(v))}" for k, v in enumerate(values))

    steps = [low + (high - low) * k / 4 for k in range(5)]
    return {
        "width": WIDTH,
        "height": HEIGHT,
        "left": LEFT,
        "right": WIDTH - RIGHT,
        "base": HEIGHT - BOTTOM,
        "top": TOP,
        "neutral": [{"channel": name, "points": points(values)} for name, values in zip("rgb", shown[:3], strict=True)],
        "alone": [{"channel": name, "points": points(values)} for name, values in zip("rgb", shown[3:], strict=True)],
        "other": [{"channel": name, "points": points(values)} for name, values in zip("rgb", rest, strict=False)],
        "ticks": [{"y": y(v), "label": f"{v:.2f}".replace("-", "−")} for v in steps],
        "codes": [
            {"x": _x(k / 4), "label": f"{facts.low[0] + (facts.high[0] - facts.low[0]) * k / 4:.2f}".replace("-", "−")}
            for k in range(5)
        ],
    }


def cube_points(lut: Lut) -> dict[str, Any]:
    """The cube's points thinned to 9 a side: where each lands, its input colour, and which neighbours are joined."""
    cube = grid(lut, CUBE_POINTS)
    n = cube.shape[0]
    axis = np.linspace(0, 255, n).round().astype(int)
    flat = np.round(np.clip(np.nan_to_num(cube), -0.5, 1.5).reshape(-1, 3), 4)
    return {"size": n, "places": flat.tolist(), "levels": axis.tolist()}


def slices(lut: Lut, seen: Any = None) -> list[dict[str, str]]:
    """Planes of constant blue as pictures, red across and green up: what the table makes of each, shown as its codes
    are; striped where ``seen``, bool (n, n, n) by red, green, blue, says that nothing was.
    """
    out = []
    axis = np.linspace(0, 1, SLICE)
    low, high = domain_of(lut)
    for blue in (0.0, 0.25, 0.5, 0.75, 1.0):
        plane = np.stack(
            [
                np.broadcast_to(axis[None, :], (SLICE, SLICE)),
                np.broadcast_to(axis[::-1, None], (SLICE, SLICE)),
                np.full((SLICE, SLICE), blue),
            ],
            axis=-1,
        )
        picture = np.clip(np.nan_to_num(lut.apply(low + plane * (high - low))), 0, 1)
        shown = np.round(picture * 255).astype(np.uint8)
        if seen is not None:
            nearest = np.rint(plane * (seen.shape[0] - 1)).astype(int)
            unseen = ~seen[tuple(np.moveaxis(nearest, -1, 0))]
            stripes = np.add.outer(np.arange(SLICE), np.arange(SLICE)) % 6 < 3
            shown[unseen & stripes] = UNSEEN
        data = base64.b64encode(png_bytes(shown)).decode()
        out.append({"blue": f"{low[2] + blue * (high[2] - low[2]):.2f}", "image": f"data:image/png;base64,{data}"})
    return out


def hex_colour(code: Any) -> str:
    """Codes as #rrggbb, shown as they are."""
    return "#" + "".join(f"{round(255 * float(min(max(v, 0.0), 1.0))):02x}" for v in code)
