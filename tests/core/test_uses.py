"""Tolerances by use, and the picture of what missing them looks like."""

import colour
import numpy as np
import pytest

from upwelling.core.proof.tolerances import HDR, SDR
from upwelling.core.proof.uses import SEEN, USES, miss_of, screen_code


@pytest.mark.parametrize("delta_e", [0.25, 1.0, 3.0, 12.0])
@pytest.mark.parametrize("lab", SEEN)
def test_the_picture_of_a_miss_is_as_far_off_as_it_says(lab, delta_e):
    """By colour-science 0.4.7's CIE 2000."""
    assert colour.delta_E(np.array(lab), miss_of(lab, delta_e), method="CIE 2000") == pytest.approx(delta_e, abs=1e-6)


def test_a_colour_of_the_screen_is_that_of_colour_science():
    for lab in SEEN:
        white = colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["D65"]
        rgb = np.clip(colour.XYZ_to_sRGB(colour.Lab_to_XYZ(lab, white), white), 0, 1)
        ours = [int(screen_code(np.array(lab))[i : i + 2], 16) for i in (1, 3, 5)]
        np.testing.assert_allclose(ours, 255 * rgb, atol=0.6)


def test_uses_are_in_order_and_the_middle_one_is_what_is_held_to_at_first():
    loose, usual, tight = USES
    assert (usual.sdr, usual.hdr) == (SDR, HDR)
    for limits in zip(loose.sdr.rows(), usual.sdr.rows(), tight.sdr.rows(), strict=True):
        assert [limit for _, _, limit in limits] == sorted((limit for _, _, limit in limits), reverse=True)
