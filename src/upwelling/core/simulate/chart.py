"""A 24-patch chart of published reflectances.

CIELAB under D50 of the classic 24-patch chart, as published by its maker for charts made before November 2014 (the
values are also carried by colour-science 0.4.7, against which the test checks this table).
"""

from __future__ import annotations

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.primaries import adaptation_matrix, primaries, rgb_to_xyz, xy_to_xyz

D50 = (0.3457, 0.3585)
PATCHES: tuple[tuple[str, float, float, float], ...] = (
    ("dark skin", 37.986, 13.555, 14.059), ("light skin", 65.711, 18.130, 17.810), ("blue sky", 49.927, -4.880, -21.905),
    ("foliage", 43.139, -13.095, 21.905), ("blue flower", 55.112, 8.844, -25.399), ("bluish green", 70.719, -33.397, -0.199),
    ("orange", 62.661, 36.067, 57.096), ("purplish blue", 40.020, 10.410, -45.964), ("moderate red", 51.124, 48.239, 16.248),
    ("purple", 30.325, 22.976, -21.587), ("yellow green", 72.532, -23.709, 57.255), ("orange yellow", 71.941, 19.363, 67.857),
    ("blue", 28.778, 14.179, -50.297), ("green", 55.261, -38.342, 31.370), ("red", 42.101, 53.378, 28.190),
    ("yellow", 81.733, 4.039, 79.819), ("magenta", 51.935, 49.986, -14.574), ("cyan", 51.038, -28.631, -28.638),
    ("white", 96.539, -0.425, 1.186), ("neutral 8", 81.257, -0.638, -0.335), ("neutral 6.5", 66.766, -0.734, -0.504),
    ("neutral 5", 50.867, -0.153, -0.270), ("neutral 3.5", 35.656, -0.421, -1.231), ("black", 20.461, -0.079, -0.973),
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
