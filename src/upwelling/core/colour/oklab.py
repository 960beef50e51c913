"""Oklab, the hue-linear space in which the rendering keeps hue.

Source: B. Ottosson, "A perceptual color space for image processing" (2020), matrices M1 and M2 as revised 2021-01-25.
The printed matrices take the D65 of xy (0.3127, 0.3290) to a = b = 0 only to about 1e-4; rows are scaled here so that
this white is exactly neutral, which moves other colours by as little.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.colour.primaries import D65, Adaptation, Primaries, adaptation_matrix, rgb_to_xyz, xy_to_xyz

_XYZ_TO_LMS = np.array(
    [
        [0.8189330101, 0.3618667424, -0.1288597137],
        [0.0329845436, 0.9293118715, 0.0361456387],
        [0.0482003018, 0.2643662691, 0.6338517070],
    ]
)
_ROOT_TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)


def _exact_white() -> tuple[Float64, Float64]:
    to_lms = _XYZ_TO_LMS / (_XYZ_TO_LMS @ xy_to_xyz(D65))[:, None]
    to_lab = _ROOT_TO_LAB.copy()
    to_lab[0] /= to_lab[0].sum()
    to_lab[1:, 1] -= to_lab[1:].sum(axis=1)
    return to_lms, to_lab


XYZ_TO_LMS, ROOT_TO_LAB = _exact_white()
LAB_TO_ROOT = np.linalg.inv(ROOT_TO_LAB)


@lru_cache(maxsize=256)
def rgb_to_lms(space: Primaries, method: Adaptation) -> Float64:
    """The 3×3 matrix from linear RGB to Oklab's cone response, adapted to D65; white gives (1, 1, 1)."""
    adapt = adaptation_matrix(space.white, D65, method)
    matrix = XYZ_TO_LMS @ adapt @ rgb_to_xyz(space)
    return np.asarray(matrix / matrix.sum(axis=1, keepdims=True))


def lms_to_oklab(lms: Float64) -> Float64:
    """Oklab L, a, b of cone responses (…, 3)."""
    return np.cbrt(lms) @ ROOT_TO_LAB.T


def oklab_to_lms(lab: Float64) -> Float64:
    """Cone responses of Oklab (…, 3)."""
    root = lab @ LAB_TO_ROOT.T
    return np.asarray(root**3)
