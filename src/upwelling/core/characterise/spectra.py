"""Lights, patches and the standard observer by their spectra, 380 to 780 nm in steps of 5.

Observer, illuminants and daylight's components: CIE 15:2018; patches: ISO 17321-1:2012, D.1; both as colour-science
0.4.7 carries them (scripts/write_spectra.py). Heat light: Planck's law with c₂ = 1.4388 cm·K.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Mapping
from functools import cache
from importlib.resources import files
from typing import Any, Literal

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.charts.patch_chart import D50, PATCHES
from upwelling.core.colour.difference import xyz_to_lab
from upwelling.core.colour.primaries import adaptation_matrix
from upwelling.core.errors import BadValue

Chart = Literal["24", "140"]
GRIDS: dict[Chart, tuple[int, int]] = {"24": (6, 4), "140": (14, 10)}
"""Columns and rows."""
LIGHTS: dict[str, str] = {
    "D50": "horizon daylight, D50",
    "D55": "mid-morning daylight, D55",
    "D65": "noon daylight, D65",
    "D75": "north sky, D75",
    "A": "household tungsten, CIE A",
    "3200 K": "studio tungsten, 3200 K",
    "FL2": "cool white fluorescent, FL2",
    "FL11": "three-band fluorescent, FL11",
    "LED-B2": "white LED of 3000 K, LED-B2",
    "LED-B3": "white LED of 4100 K, LED-B3",
    "LED-V1": "violet-pumped LED of 2700 K, LED-V1",
}
_KELVIN = re.compile(r"(\d{4,5}) ?K")
_COLDEST, _DAYLIGHT, _HOTTEST = 1700, 4000, 25000


@cache
def _table(name: str) -> Mapping[str, Float64]:
    with files("upwelling.core.characterise").joinpath(name).open(encoding="utf-8") as stream:
        rows = list(csv.DictReader(stream))
    return {key: np.array([float(row[key]) for row in rows]) for key in rows[0] if key != "patch"}


def wavelengths() -> Float64:
    """In nanometres, (81,)."""
    return _table("spectra.csv")["nm"]


def light_of(name: str) -> Float64:
    """The spectrum (81,) of a light by its name, or of a temperature: “3200 K” is heat light, from 4000 K on daylight.

    Raises BadValue.
    """
    table = _table("spectra.csv")
    if f"light {name}" in table:
        return table[f"light {name}"]
    found = _KELVIN.fullmatch(name.strip())
    if found is None or not _COLDEST <= int(found[1]) <= _HOTTEST:
        raise BadValue(f"“{name}” is no light known here. Use {', '.join(LIGHTS)}, or a temperature such as 5200 K.")
    kelvin = float(found[1])
    if kelvin < _DAYLIGHT:
        metres = wavelengths() * 1e-9
        return np.asarray(1e-15 / metres**5 / np.expm1(1.4388e-2 / (metres * kelvin)))
    m1, m2 = _daylight_shares(kelvin)
    return np.asarray(table["daylight S0"] + m1 * table["daylight S1"] + m2 * table["daylight S2"])


def _daylight_shares(kelvin: float) -> tuple[float, float]:
    """M₁ and M₂ of CIE daylight, CIE 15:2018, 4.1.2."""
    t = 1e3 / kelvin
    x = (
        0.244063 + 0.09911 * t + 2.9678 * t**2 - 4.6070 * t**3
        if kelvin <= 7000
        else 0.237040 + 0.24748 * t + 1.9018 * t**2 - 2.0064 * t**3
    )
    y = -3 * x**2 + 2.87 * x - 0.275
    below = 0.0241 + 0.2562 * x - 0.7341 * y
    return (-1.3515 - 1.7703 * x + 5.9114 * y) / below, (0.03 - 31.4424 * x + 30.0717 * y) / below


def reflectances() -> Float64:
    """Of the 24 patches, (24, 81)."""
    table = _table("spectra.csv")
    return np.stack([table[f"patch {number}"] for number in range(24)])


def xyz_of(reflectance: Any, light: Float64) -> Float64:
    """XYZ (…, 3) of reflectances (…, 81) under a light; the perfect diffuser has Y = 1."""
    table = _table("spectra.csv")
    weights = np.stack([table[f"observer {axis}"] for axis in "xyz"], axis=-1) * light[:, None]
    return np.asarray(np.asarray(reflectance) @ weights / weights[:, 1].sum())


def white_of(light: Float64) -> tuple[float, float]:
    """Its xy."""
    xyz = xyz_of(np.ones(81), light)
    return float(xyz[0] / xyz.sum()), float(xyz[1] / xyz.sum())


def patches_under(chart: Chart, light: Float64) -> Float64:
    """XYZ (N, 3) of a chart's patches under a light, white Y = 1. Of 140 only their colours under D50 are
    published; they are turned to the light by CAT02, which is no more than near.
    """
    if chart == "24":
        return xyz_of(reflectances(), light)
    table = _table("patches_140.csv")
    x, y, luminance = table["x"], table["y"], table["Y"]
    xyz = np.stack([x / y * luminance, luminance, (1 - x - y) / y * luminance], axis=-1)
    return np.asarray(xyz @ adaptation_matrix(D50, white_of(light), "CAT02").T)


def patch_names(chart: Chart) -> tuple[str, ...]:
    """Row by row from the first corner."""
    if chart == "24":
        return tuple(patch[0] for patch in PATCHES)
    return tuple(f"{column}{row}" for row in range(1, 11) for column in "ABCDEFGHIJKLMN")


@cache
def neutral_patches(chart: Chart) -> tuple[int, ...]:
    """Patches that are grey: less than 3 of chroma in CIELAB under D50."""
    light = light_of("D50")
    lab = xyz_to_lab(patches_under(chart, light), xyz_of(np.ones(81), light))
    return tuple(int(k) for k in np.flatnonzero(np.hypot(lab[:, 1], lab[:, 2]) < 3))
