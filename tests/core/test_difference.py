"""CIEDE2000 against the published pairs; Oklab against colour-science and coloraide."""

from pathlib import Path as FilePath

import colour
import numpy as np
import pytest
from coloraide import Color

from upwelling.core.colour import oklab
from upwelling.core.colour.difference import delta_e_2000, xyz_to_lab
from upwelling.core.colour.oklab import lms_to_oklab, oklab_to_lms, rgb_to_lms
from upwelling.core.colour.primaries import D65, PRIMARIES, xy_to_xyz

SHARMA = np.loadtxt(FilePath(__file__).parents[1] / "data" / "ciede2000_sharma.csv", delimiter=",")


@pytest.mark.parametrize("row", SHARMA, ids=range(len(SHARMA)))
def test_published_pairs(row):
    """Half the last printed digit."""
    assert len(SHARMA) == 34
    assert delta_e_2000(row[:3], row[3:6]) == pytest.approx(row[6], abs=5.1e-5)
    assert delta_e_2000(row[3:6], row[:3]) == pytest.approx(row[6], abs=5.1e-5)


def test_random_pairs_against_colour_science():
    rng = np.random.default_rng(4)
    a, b = rng.uniform((0, -120, -120), (100, 120, 120), (2, 5000, 3))
    np.testing.assert_allclose(delta_e_2000(a, b), colour.delta_E(a, b, method="CIE 2000"), atol=1e-9)


def test_lab_against_colour_science():
    xyz = np.random.default_rng(5).uniform(0, 1.2, (2000, 3))
    xyz[:50] *= 0.005
    np.testing.assert_allclose(xyz_to_lab(xyz, xy_to_xyz(D65)), colour.XYZ_to_Lab(xyz, D65), atol=1e-6)


def test_oklab_against_colour_science_and_coloraide():
    xyz = np.random.default_rng(6).uniform(0.02, 1, (500, 3))
    printed = np.cbrt(xyz @ oklab._XYZ_TO_LMS.T) @ oklab._ROOT_TO_LAB.T
    np.testing.assert_allclose(printed, colour.XYZ_to_Oklab(xyz), atol=1e-9)
    np.testing.assert_allclose(lms_to_oklab(xyz @ oklab.XYZ_TO_LMS.T), printed, atol=2e-4)  # our exact white
    to_lms = rgb_to_lms(PRIMARIES["BT.709"], "CAT02")
    for rgb in ((1, 0, 0), (0, 1, 0), (0, 0, 1), (0.2, 0.5, 0.7)):
        theirs = Color("srgb-linear", rgb).convert("oklab").coords()
        np.testing.assert_allclose(lms_to_oklab(np.array(rgb) @ to_lms.T), theirs, atol=2e-4)


def test_oklab_white_is_exact_and_it_returns():
    for space in PRIMARIES.values():
        lab = lms_to_oklab(np.ones(3) @ rgb_to_lms(space, "CAT02").T)
        np.testing.assert_allclose(lab, (1, 0, 0), atol=1e-12)
    lab = np.random.default_rng(7).uniform((0, -0.3, -0.3), (1, 0.3, 0.3), (100, 3))
    np.testing.assert_allclose(lms_to_oklab(oklab_to_lms(lab)), lab, atol=1e-9)
