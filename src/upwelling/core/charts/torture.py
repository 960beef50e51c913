"""The torture chart: scene light that is hard to render, in one picture.

Rows from the top: a grey ramp and grey steps, sweeps of each primary and secondary of BT.709 and of the primaries of
BT.2020, skin, LED-like blues and furnace orange. In every row the light rises from −8 stops (left) to +8 stops (right)
of the level where its luminance is mid grey 0.18.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from upwelling.core.arrays import MID_GREY, Float32, Float64
from upwelling.core.charts.patch_chart import chart_linear
from upwelling.core.colour.primaries import Primaries, primaries, rgb_to_rgb, rgb_to_xyz, xy_to_xyz

LOW, HIGH = -8.0, 8.0
EDGE = 0.02
"""Share of the width left dark at either side."""


@dataclass(frozen=True)
class Row:
    """A sweep: its name, and linear light of luminance 1 in the chart's primaries."""

    name: str
    rgb: tuple[float, float, float]
    stepped: bool = False
    saturated: bool = True


# Chromaticities of narrow-band blue LEDs at 450 and 470 nm and of a body at 1500 K, all by CIE 1931 (colour-science
# confirms them).
_LIGHTS = {"LED 450 nm": (0.1566, 0.0177), "LED 470 nm": (0.1241, 0.0578), "furnace 1500 K": (0.5857, 0.3931)}
_PURITY = 0.97
"""Share of a sweep's primary; the rest is white, so that no channel is exactly 0."""


def rows(space: Primaries) -> tuple[Row, ...]:
    """The rows from the top, in linear RGB of ``space``."""
    luminance = rgb_to_xyz(space)[1]
    from_709, from_2020 = (rgb_to_rgb(primaries(name), space, "CAT02") for name in ("BT.709", "BT.2020"))
    from_xyz = np.linalg.inv(rgb_to_xyz(space))
    white = rgb_to_xyz(space) @ np.ones(3)

    def made(name: str, rgb: Float64, **how: bool) -> Row:
        r, g, b = rgb / float(rgb @ luminance)
        return Row(name, (float(r), float(g), float(b)), **how)

    found = [made("grey", np.ones(3), saturated=False), made("grey steps", np.ones(3), stepped=True, saturated=False)]
    hues = {
        "red": (1, 0, 0),
        "yellow": (1, 1, 0),
        "green": (0, 1, 0),
        "cyan": (0, 1, 1),
        "blue": (0, 0, 1),
        "magenta": (1, 0, 1),
    }
    for name, rgb in hues.items():
        found.append(made(name, from_709 @ (_PURITY * np.array(rgb, dtype=np.float64) + 1 - _PURITY)))
    found += [
        made(f"BT.2020 {name}", from_2020 @ (_PURITY * np.array(hues[name], dtype=np.float64) + 1 - _PURITY))
        for name in ("red", "green", "blue")
    ]
    dark, light = from_709 @ chart_linear("BT.709")[0], from_709 @ chart_linear("BT.709")[1]
    found += [made("light skin", light, saturated=False), made("dark skin", dark, saturated=False)]
    for name, xy in _LIGHTS.items():
        light = xy_to_xyz(xy)
        found.append(
            made(
                name, from_xyz @ (light * 0.9 + 0.1 * light[1] * white) if name.startswith("LED") else from_xyz @ light
            )
        )
    return tuple(found)


def stops_across(width: int) -> Float64:
    """The level of each column in stops, (width,); nan in the dark edges."""
    share = (np.arange(width) + 0.5) / width
    inside = (share - EDGE) / (1 - 2 * EDGE)
    return np.where((inside >= 0) & (inside <= 1), LOW + (HIGH - LOW) * inside, np.nan)


def torture_chart(space: Primaries, width: int = 960, height: int = 540) -> Float32:
    """Scene-linear RGB (height, width, 3) of the chart in ``space``."""
    picture = np.zeros((height, width, 3), dtype=np.float64)
    listed = rows(space)
    stops = stops_across(width)
    for index, row in enumerate(listed):
        top, bottom = (round(height * (index + m) / len(listed)) for m in (0.06, 0.94))
        level = np.round(stops) if row.stepped else stops
        light = np.where(np.isnan(level), 0.0, MID_GREY * np.exp2(np.nan_to_num(level)))
        picture[top:bottom] = light[None, :, None] * np.array(row.rgb)
    return picture.astype(np.float32)


def sweeps(space: Primaries, count: int = 321) -> tuple[tuple[Row, ...], Float64, Float64]:
    """The rows, their levels in stops (count,), and their light (rows, count, 3), for measuring."""
    listed = rows(space)
    stops = np.linspace(LOW, HIGH, count)
    light = MID_GREY * np.exp2(stops)[None, :, None] * np.array([row.rgb for row in listed])[:, None, :]
    return listed, stops, light
