"""The 24-patch chart: published reflectances, reading it from a picture, and the report on a camera.

CIELAB under D50 of the classic 24-patch chart, as published by its maker for charts made before November 2014 (the
values are also carried by colour-science 0.4.7, against which the test checks this table).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.charts.grid import Corners, read_grid
from upwelling.core.colour.difference import delta_e_2000, xyz_to_lab
from upwelling.core.colour.primaries import Primaries, adaptation_matrix, primaries, rgb_to_xyz, xy_to_xyz
from upwelling.core.errors import BadValue

D50 = (0.3457, 0.3585)
PATCHES: tuple[tuple[str, float, float, float], ...] = (
    ("dark skin", 37.986, 13.555, 14.059),
    ("light skin", 65.711, 18.130, 17.810),
    ("blue sky", 49.927, -4.880, -21.905),
    ("foliage", 43.139, -13.095, 21.905),
    ("blue flower", 55.112, 8.844, -25.399),
    ("bluish green", 70.719, -33.397, -0.199),
    ("orange", 62.661, 36.067, 57.096),
    ("purplish blue", 40.020, 10.410, -45.964),
    ("moderate red", 51.124, 48.239, 16.248),
    ("purple", 30.325, 22.976, -21.587),
    ("yellow green", 72.532, -23.709, 57.255),
    ("orange yellow", 71.941, 19.363, 67.857),
    ("blue", 28.778, 14.179, -50.297),
    ("green", 55.261, -38.342, 31.370),
    ("red", 42.101, 53.378, 28.190),
    ("yellow", 81.733, 4.039, 79.819),
    ("magenta", 51.935, 49.986, -14.574),
    ("cyan", 51.038, -28.631, -28.638),
    ("white", 96.539, -0.425, 1.186),
    ("neutral 8", 81.257, -0.638, -0.335),
    ("neutral 6.5", 66.766, -0.734, -0.504),
    ("neutral 5", 50.867, -0.153, -0.270),
    ("neutral 3.5", 35.656, -0.421, -1.231),
    ("black", 20.461, -0.079, -0.973),
)


def lab_to_xyz(lab: Float64, white: Float64) -> Float64:
    """XYZ of CIELAB (…, 3); CIE 15:2018, annex E."""
    fy = (lab[..., 0] + 16) / 116
    f = np.stack([fy + lab[..., 1] / 500, fy, fy - lab[..., 2] / 200], axis=-1)
    return np.asarray(np.where(f > 6 / 29, f**3, 3 * (6 / 29) ** 2 * (f - 4 / 29)) * white)


def chart_linear(space: str) -> Float64:
    """Scene-linear RGB (24, 3) of the patches under the space's own white, row by row from the top left."""
    target = primaries(space)
    xyz = lab_to_xyz(np.array([patch[1:] for patch in PATCHES]), xy_to_xyz(D50))
    adapted = xyz @ adaptation_matrix(D50, target.white, "CAT02").T
    return np.asarray(adapted @ np.linalg.inv(rgb_to_xyz(target)).T)


NEUTRALS = (19, 20, 21)
"""Patches the balance is taken from: neutral 8, 6.5 and 5; white may clip and the dark ones are noisy."""
CARD_NAMES = ("dark skin", "bluish green", "black", "white")
"""The patches at the chart's corners, in the order of ``Corners``."""


@dataclass(frozen=True)
class ChartReport:
    """How near a camera's working values come to the chart after one gain a channel.

    ``gains`` are what balances the neutrals, ``stops`` their luminance part: by how much the chart was over (+) or
    under.
    """

    names: tuple[str, ...]
    measured: Float64
    wanted: Float64
    differences: Float64
    gains: tuple[float, float, float]
    stops: float

    @property
    def median(self) -> float:
        return float(np.median(self.differences))

    @property
    def worst(self) -> tuple[str, float]:
        index = int(np.argmax(self.differences))
        return self.names[index], float(self.differences[index])


def read_patches(rgb: Any, corners: Corners) -> Float64:
    """Mean RGB (24, 3) of the middle of each patch of a picture (H, W, 3); raises BadValue when a patch has no pixels.

    Patches lie on a 6 × 4 grid, see ``read_grid``.
    """
    return read_grid(rgb, corners, 6, 4).means


def report(patches: Any, working: Primaries) -> ChartReport:
    """The report on scene-linear patches (24, 3) in the working primaries; raises BadValue when the neutrals are no
    light.
    """
    measured = np.asarray(patches, dtype=np.float64)
    wanted = chart_linear(working.name)
    neutral = measured[list(NEUTRALS)]
    if (neutral <= 1e-4).any():
        raise BadValue("The neutral patches hold no light. Check the corners, and the encoding of the shot.")
    gains = np.exp(np.mean(np.log(wanted[list(NEUTRALS)] / neutral), axis=0))
    balanced = measured * gains
    to_d50 = adaptation_matrix(working.white, D50, "CAT02") @ rgb_to_xyz(working)
    lab = xyz_to_lab(balanced @ to_d50.T, xy_to_xyz(D50))
    published = np.array([patch[1:] for patch in PATCHES])
    luminance = rgb_to_xyz(working)[1]
    over = float(np.mean(np.log2((neutral @ luminance) / (wanted[list(NEUTRALS)] @ luminance))))
    return ChartReport(
        tuple(p[0] for p in PATCHES),
        measured,
        wanted,
        np.asarray(delta_e_2000(lab, published)),
        (float(gains[0]), float(gains[1]), float(gains[2])),
        over,
    )
