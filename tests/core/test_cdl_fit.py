"""The nearest ASC CDL of a correction. Light goes through log by colour-science's ACEScct; the CDL that is found is
applied by colour-science's ASC CDL terms written out here.
"""

import colour
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from upwelling.core.lut.process import CdlNode
from upwelling.core.packages.cdl_fit import nearest_cdl

LIGHT = 0.18 * np.exp2(np.random.default_rng(3).uniform(-5, 4, (3000, 3)))


def log(light):
    return np.asarray(colour.models.log_encoding_ACEScct(light))


def asc(codes, node):
    """ASC CDL v1.2 (2009-05-04): slope, offset, power, then saturation by BT.709's luma."""
    out = np.clip(codes * node.slope + np.array(node.offset), 0, 1) ** np.array(node.power)
    luma = out @ np.array([0.2126, 0.7152, 0.0722])
    return np.clip(luma[:, None] + node.saturation * (out - luma[:, None]), 0, 1)


@pytest.mark.parametrize("gain", [(2.0, 2.0, 2.0), (0.5, 0.5, 0.5), (1.3, 1.0, 0.75), (1.0, 1.0, 1.0)])
def test_exposure_and_balance_are_an_offset_in_log(gain):
    """log2(gain) / 17.52 by ACEScct's own constants (S-2016-001), above the toe."""
    light = LIGHT[(LIGHT > 0.0079 / 0.5).all(axis=-1)]  # what goes through the toe before or after is no offset
    found = nearest_cdl(log(light), log(light * gain))
    np.testing.assert_allclose(found.offset, np.log2(gain) / 17.52, atol=1e-4)
    np.testing.assert_allclose([*found.slope, *found.power, found.saturation], 1, atol=1e-9)
    assert np.abs(asc(log(light), found) - log(light * gain)).max() < 1e-3


@settings(max_examples=15, deadline=None)
@given(
    slope=st.tuples(*[st.floats(0.7, 1.3)] * 3),
    offset=st.tuples(*[st.floats(-0.08, 0.08)] * 3),
    power=st.tuples(*[st.floats(0.8, 1.25)] * 3),
    saturation=st.floats(0.6, 1.4),
)
def test_a_cdl_is_found_again_by_what_it_does(slope, offset, power, saturation):
    codes = log(LIGHT)
    wanted = asc(codes, CdlNode(slope, offset, power, saturation))
    found = nearest_cdl(codes, wanted)
    assert np.percentile(np.abs(asc(codes, found) - wanted), 99) < 4e-3


def test_what_no_cdl_does_is_met_nearly():
    """A turn of hue is beyond it: something is left, and less than by doing nothing."""
    turned = log(LIGHT)[:, [1, 2, 0]] * 0.2 + log(LIGHT) * 0.8
    found = nearest_cdl(log(LIGHT), turned)
    left, idle = (np.abs(codes - turned).mean() for codes in (asc(log(LIGHT), found), log(LIGHT)))
    assert left < 0.9 * idle


def test_one_flat_colour_is_met():
    codes = np.full((50, 3), 0.4)
    assert np.abs(asc(codes, nearest_cdl(codes, codes + 0.05)) - 0.45).max() < 1e-3
