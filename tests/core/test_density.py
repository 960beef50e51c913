"""Density: the law of Lambert and Beer, what it keeps, and how it differs from scaling chroma."""

import colour
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import brentq

from upwelling.core.colour.oklab import rgb_to_lms
from upwelling.core.colour.primaries import primaries
from upwelling.core.operations import run_reference
from upwelling.core.operations.colour import polar
from upwelling.core.operations.density import THINNEST, DyeDensity, chroma_of, hue_series, level_of
from upwelling.core.operations.kept import kept
from upwelling.core.steps import Density, Saturation
from upwelling.core.steps.density import HUES, SKIN_HUE

AP1 = primaries("AP1")
RNG = np.random.default_rng(11)
RICH = RNG.uniform(0.03, 1, (400, 3)) * np.exp2(RNG.uniform(-5, 4, (400, 1)))
"""Light whose channels all stand above a fiftieth of the level, where density is the law itself."""


def apply(step, rgb):
    return run_reference(step.operations(AP1), np.asarray(rgb, dtype=np.float64))


def chart():
    """The 24 patches of the chart after November 2014 in AP1, by colour-science."""
    patches = colour.CCS_COLOURCHECKERS["ColorChecker24 - After November 2014"]
    xyz = colour.xyY_to_XYZ(np.array(list(patches.data.values())))
    return colour.XYZ_to_RGB(xyz, colour.RGB_COLOURSPACES["ACEScg"], patches.illuminant, "CAT02")


@pytest.mark.parametrize("richness", [0.5, 0.8, 1.3, 2.5])
def test_a_thicker_layer_is_lambert_and_beers_law(richness):
    """T = 10^(−εcl): twice the thickness, the square of the transmittance. IUPAC Gold Book, “Beer–Lambert law”."""
    level = level_of(RICH)
    density = -np.log10(RICH / level)
    np.testing.assert_allclose(apply(Density(richness=richness), RICH), level * 10 ** (-richness * density), rtol=1e-9)


def test_skin_lies_where_it_is_spared():
    _, cosine, sine = chroma_of(chart()[:2] / level_of(chart()[:2]))
    np.testing.assert_allclose(np.degrees(np.arctan2(sine, cosine)), SKIN_HUE, atol=3)
    spared = apply(Density(richness=1.6, depth=1, spare_skin=1), chart()[:2])
    whole = apply(Density(richness=1.6, depth=1), chart()[:2])
    assert np.abs(np.log2(whole / chart()[:2])).max() > 0.4
    assert (np.abs(np.log2(spared / chart()[:2])) < 0.2 * np.abs(np.log2(whole / chart()[:2]))).all()


@given(st.tuples(*[st.floats(0, 2)] * 6))
def test_six_shares_are_met_nearly_and_never_passed(shares):
    cosines, sines = hue_series(shares)
    hue = np.radians(np.arange(0, 360, 5))[:, None] * np.arange(6)
    own = np.cos(hue) @ cosines + np.sin(hue) @ sines
    beside = np.roll(shares, 1) + np.roll(shares, -1)
    np.testing.assert_allclose(own[::12], 0.677 * np.array(shares) + 0.161 * beside, atol=6e-3)
    assert min(shares) - 1e-9 < own.min() <= own.max() < max(shares) + 1e-9


def back(step, seen):
    """The way back by one number a pixel, density chroma, that Brent's method finds."""
    (op,) = step.operations(AP1)
    low = -np.log10(seen / seen.max(-1, keepdims=True))
    offset = low - low.mean(-1, keepdims=True)
    red, green, blue = np.moveaxis(offset, -1, 0)
    along, across = (green + blue) / 2 - red, 3**0.5 / 2 * (blue - green)
    chroma = np.hypot(along, across)
    found = np.empty_like(seen)
    for row, (most, c, s) in enumerate(zip(chroma, along / chroma, across / chroma, strict=True)):
        factor = lambda x, c=c, s=s: step.richness ** op.share_at(*(np.array([v]) for v in (x, c, s)))[0]  # noqa: E731
        was = brentq(lambda x, most=most, factor=factor: x * factor(x) - most, 1e-9, 9)
        light = 10 ** -(offset[row] / factor(was))
        share = light / level_of(light)
        found[row] = share * (seen[row] / apply(step, share)).mean()
    return found


@pytest.mark.parametrize(
    "step",
    [
        Density(richness=1.4, depth=1),
        Density(richness=0.6, depth=-0.5, red=2, blue=0.2),
        Density(richness=1.8, depth=0.6, spare_neutral=0.8, spare_skin=0.6, cyan=1.7),
    ],
    ids=lambda s: s.summary(),
)
def test_it_has_one_way_back(step):
    np.testing.assert_allclose(back(step, apply(step, RICH)), RICH, rtol=1e-6)


STEPS = st.builds(
    Density,
    richness=st.floats(0.5, 2.5),
    depth=st.floats(-1, 3),
    spare_neutral=st.floats(0, 1),
    spare_skin=st.floats(0, 1),
    **dict.fromkeys(HUES, st.floats(0, 2)),
)


@given(STEPS, st.integers(0, 2**31))
@settings(max_examples=60)
def test_what_every_setting_keeps(step, seed):
    """Neutral to the last digits; the sign of each channel; exposure; and no corner, through neutral or black."""
    rng = np.random.default_rng(seed)
    grey = np.repeat(0.18 * np.exp2(np.linspace(-10, 9, 40))[:, None], 3, axis=1)
    np.testing.assert_allclose(apply(step, grey), grey, rtol=1e-7)
    light = rng.uniform(-0.3, 1, (200, 3))
    seen = apply(step, light)
    assert np.array_equal(np.sign(seen), np.sign(light))
    np.testing.assert_allclose(apply(step, 8 * light), 8 * seen, rtol=1e-6, atol=1e-9)
    # The change of slope over a distance falls with it; at a corner it stays.
    middle, way = rng.uniform(0.2, 1, (100, 1)) * np.ones(3), rng.normal(size=(100, 3))
    start = np.concatenate([middle, light[light.min(1) > -0.02][:50] + 0.02])
    way = np.concatenate([way, rng.normal(size=(len(start) - 100, 3))])
    bend = [
        np.abs(apply(step, start + h * way) - 2 * apply(step, start) + apply(step, start - h * way)).max() / h
        for h in (1e-3, 1e-5)
    ]
    assert bend[1] < 0.1 * bend[0] + 1e-6


@given(STEPS, st.floats(0, 360))
@settings(max_examples=80)
def test_more_colour_in_is_more_colour_out(step, hue):
    """Along a ray of one hue density chroma rises without a fold, and the hue of this space stays."""
    chroma = np.linspace(0.005, 1.2, 240)
    angle = np.radians(hue)
    red, across = -2 / 3 * np.cos(angle), np.sin(angle) / 3**0.5
    density = chroma[:, None] * np.array([red, -red / 2 - across, -red / 2 + across])
    light = 10**-density
    inside = (light / level_of(light)).min(1) > 0.021
    seen = apply(step, light[inside])
    after = -np.log10(seen / seen.max(-1, keepdims=True))
    made = np.hypot((after[:, 1] + after[:, 2]) / 2 - after[:, 0], 3**0.5 / 2 * (after[:, 2] - after[:, 1]))
    assert np.diff(made).min() > 0


def test_rich_colours_darken_where_saturation_keeps_them_light():
    """On the chart's six strongest patches, at equal mean gain of Oklab's saturation: lightness and hue."""
    strong = chart()[12:18]
    to_lms = np.array(rgb_to_lms(AP1, "CAT02"))
    was, hue, saturation, _ = polar(strong, to_lms)
    dense = apply(Density(richness=1.3, depth=0.8), strong)
    lab, turned, richer, _ = polar(dense, to_lms)
    amount = (richer / saturation).mean()
    plain, _, same, _ = polar(apply(Saturation(amount=amount), strong), to_lms)
    assert amount > 1.05
    assert (lab[:, 0] / was[:, 0]).max() < 0.97
    np.testing.assert_allclose(plain[:, 0], was[:, 0], rtol=1e-9)
    np.testing.assert_allclose(same / saturation, amount, rtol=1e-9)
    assert np.abs((turned - hue + 180) % 360 - 180).max() < 8


def test_a_share_is_held_from_nothing_without_a_corner():
    x = np.array([-1, 0, 0.01, 0.02 - 1e-9, 0.02, 0.5, 1])
    np.testing.assert_allclose(kept(x, THINNEST), [0.01, 0.01, 0.0125, 0.02, 0.02, 0.5, 1], atol=1e-8)
    assert DyeDensity(2, 0, (1,) * 6, 0, 0, 24).apply(np.zeros((1, 3))).max() == 0
