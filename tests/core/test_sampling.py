"""A colour range sampled in several places: what was taken in is selected, what was taken away is not. The weights are
worked out by the selection's own operation, which test_steps.py holds against its definition; hues against
colour-science's Oklab.
"""

import colour
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from upwelling.core.colour.primaries import primaries
from upwelling.core.steps import ColourRange, range_around, sampled
from upwelling.core.steps.selections.sampling import narrowed, widened

AP1, BT709 = (primaries(name) for name in ("AP1", "BT.709"))


def patch(hue, chroma, stops, seed=0):
    """Scene light (60, 3) about an Oklab hue (degrees), chroma over lightness and stops from mid grey, by
    colour-science, with a little noise.
    """
    radians = np.radians(hue)
    lab = np.array([0.6, 0.6 * chroma * np.cos(radians), 0.6 * chroma * np.sin(radians)])
    space = colour.RGB_COLOURSPACES["ACEScg"]
    rgb = colour.XYZ_to_RGB(
        colour.Oklab_to_XYZ(lab), space, colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["D65"]
    )
    rgb = np.asarray(rgb) * 0.18 * 2.0**stops / rgb.mean()
    return rgb * np.random.default_rng(seed).uniform(0.99, 1.01, (60, 3))


def weight(one, light):
    return float(one.operation(AP1).weight(light).mean())


places = st.tuples(st.floats(0, 360), st.floats(0.06, 0.2), st.floats(-4, 3))


@given(first=places, second=places)
def test_a_widened_range_takes_both_in(first, second):
    known = range_around(patch(*first), AP1)
    wider = widened(known, patch(*second, seed=1), AP1)
    assert weight(wider, patch(*first)) > 0.95
    assert weight(wider, patch(*second, seed=1)) > 0.95


@given(first=places, second=places, soft=st.tuples(st.floats(2, 40), st.floats(0.01, 0.1), st.floats(0.1, 2)))
def test_a_narrowed_range_leaves_the_patch_out_or_says_that_it_cannot(first, second, soft):
    falloffs = dict(zip(("hue_soft", "saturation_soft", "stops_soft"), soft, strict=True))
    known = widened(range_around(patch(*first), AP1).model_copy(update=falloffs), patch(*second, seed=1), AP1)
    less = narrowed(known, patch(*second, seed=1), AP1)
    if less is not None:
        assert weight(less, patch(*second, seed=1)) < 0.1
        assert less.hue_width <= known.hue_width + 0.1
        assert less.stops_low >= known.stops_low - 1e-3
        assert less.stops_high <= known.stops_high + 1e-3


@pytest.mark.parametrize(
    ("kept", "away", "field"),
    [
        pytest.param((30, 0.12, 0), (75, 0.12, 0), "hue", id="hue"),
        pytest.param((30, 0.16, 0), (30, 0.05, 0), "saturation_low", id="paler"),
        pytest.param((30, 0.12, -3), (30, 0.12, 2), "stops_high", id="brighter"),
        pytest.param((350, 0.12, 0), (25, 0.12, 0), "hue", id="over the turn of the circle"),
    ],
)
def test_the_end_that_costs_least_gives_way(kept, away, field):
    falloffs = {"hue_soft": 8, "saturation_soft": 0.01, "stops_soft": 0.3}
    known = widened(range_around(patch(*kept), AP1).model_copy(update=falloffs), patch(*away), AP1)
    less = narrowed(known, patch(*away), AP1)
    assert getattr(less, field) != getattr(known, field)
    assert weight(less, patch(*kept)) > 0.9
    assert weight(less, patch(*away)) < 0.05


def test_grey_taken_in_opens_all_hues():
    known = range_around(patch(30, 0.12, 0), AP1)
    assert widened(known, np.full((9, 3), 0.18), AP1).hue_width == 360


def test_from_every_hue_the_arc_opposite_is_kept():
    all_hues = ColourRange(hue=10, hue_width=360, hue_soft=10)
    less = narrowed(all_hues, patch(120, 0.12, 0), AP1)
    assert less.hue == pytest.approx(300, abs=3)
    assert less.hue_width > 300
    assert weight(less, patch(120, 0.12, 0)) < 0.05
    assert weight(less, patch(200, 0.12, 0)) > 0.95


@pytest.mark.parametrize(("invert", "more", "join"), [(False, False, "without"), (True, True, "or")])
def test_what_lies_in_the_middle_gets_a_range_of_its_own(invert, more, join):
    known = ColourRange(hue=30, hue_width=40, saturation_low=0.08, saturation_high=0.16, stops_low=-1, stops_high=1)
    found = sampled(known.model_copy(update={"invert": invert}), more, patch(30, 0.12, 0), AP1)
    assert found.join == join
    assert weight(found.range, patch(30, 0.12, 0)) > 0.95
    assert "middle" in found.sentence


def test_samples_without_a_range_and_of_one_that_is_turned_round():
    light = patch(30, 0.12, 0)
    assert sampled(None, True, light, AP1).join == "or"
    assert sampled(None, False, light, AP1).join == "without"
    known = range_around(patch(200, 0.12, 0), AP1).model_copy(update={"invert": True})
    less = sampled(known, False, light, AP1)
    assert (less.join, less.range.invert) == ("", True)
    assert weight(less.range, light) < 0.05


def test_other_primaries_are_their_own():
    light = patch(30, 0.12, 0)
    assert range_around(light, BT709).hue != range_around(light, AP1).hue
